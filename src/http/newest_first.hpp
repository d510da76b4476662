// Work for a few threads, the newest first.
#pragma once

#include <httplib.h>

#include <condition_variable>
#include <deque>
#include <functional>
#include <mutex>
#include <thread>
#include <vector>

#include "idlemeter/base/time.hpp"

namespace idlemeter::http {

/// The newest connection is served first: in a flood most connections never send anything, and the oldest ones are the
/// likeliest to be among those. Threads are added as they are needed.
class NewestFirst final : public httplib::TaskQueue {
 public:
  ~NewestFirst() override { shutdown(); }

  /// Waits while very many wait already, so that they stay in the kernel's queue.
  void enqueue(std::function<void()> work) override;
  void shutdown() override;

  /// How long one may take: less while others wait for a thread, no time at the end. Any thread.
  [[nodiscard]] Nanoseconds patience() const;

 private:
  void serve();

  mutable std::mutex mutex_;
  std::condition_variable came_, room_;
  std::deque<std::function<void()>> waiting_;
  std::vector<std::thread> threads_;
  std::size_t idle_ = 0;
  bool ending_ = false;
};

}  // namespace idlemeter::http
