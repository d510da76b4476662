// Threads of the library's own.
#pragma once

#include <signal.h>

#include <thread>
#include <utility>

namespace idlemeter::base {

/// A thread that gets no signals: they are for the threads that the program has made.
template <typename Work>
std::thread quiet_thread(Work work) {
  sigset_t all, before;
  sigfillset(&all);
  ::pthread_sigmask(SIG_SETMASK, &all, &before);
  std::thread thread(std::move(work));
  ::pthread_sigmask(SIG_SETMASK, &before, nullptr);
  return thread;
}

}  // namespace idlemeter::base
