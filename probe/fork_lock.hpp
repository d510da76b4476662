// A lock that fork() takes along.
#pragma once

#include <time.h>

#include <mutex>
#include <new>

namespace idlemeter::probe {

/// Locks a mutex for fork(), if that takes no longer than a tenth of a second: what forks may hold it itself, inside of
/// a swap. Returns whether it is locked.
inline bool lock_for_fork(std::mutex& mutex) {
  constexpr int kTries = 100;
  for (int i = 0; i < kTries; ++i) {
    if (mutex.try_lock()) return true;
    const timespec millisecond{0, 1'000'000};
    ::nanosleep(&millisecond, nullptr);
  }
  return false;
}

/// In the child, where no other thread exists.
inline void unlock_in_child(std::mutex& mutex) { new (&mutex) std::mutex; }

}  // namespace idlemeter::probe
