#include "http/newest_first.hpp"

#include <utility>

#include "base/quiet_thread.hpp"

namespace idlemeter::http {
namespace {

constexpr std::size_t kThreads = 64, kCrowd = 128, kMost = 400;

}  // namespace

void NewestFirst::enqueue(std::function<void()> work) {
  std::unique_lock lock(mutex_);
  room_.wait(lock, [this] { return ending_ || waiting_.size() < kMost; });
  waiting_.push_back(std::move(work));
  if (waiting_.size() > idle_ && threads_.size() < kThreads && !ending_)
    threads_.push_back(base::quiet_thread([this] { serve(); }));
  came_.notify_one();
}

void NewestFirst::serve() {
  std::unique_lock lock(mutex_);
  for (;;) {
    ++idle_;
    came_.wait(lock, [this] { return ending_ || !waiting_.empty(); });
    --idle_;
    if (waiting_.empty()) return;
    const auto work = std::move(waiting_.back());
    waiting_.pop_back();
    room_.notify_one();
    lock.unlock();
    work();
    lock.lock();
  }
}

void NewestFirst::shutdown() {
  std::vector<std::thread> threads;
  {
    const std::lock_guard lock(mutex_);
    ending_ = true;
    threads.swap(threads_);
  }
  came_.notify_all();
  room_.notify_all();
  for (std::thread& thread : threads) thread.join();
}

Nanoseconds NewestFirst::patience() const {
  const std::lock_guard lock(mutex_);
  if (ending_) return {};
  if (waiting_.size() > kCrowd) return kSecond / 10;
  return waiting_.size() > idle_ ? kSecond / 2 : 5 * kSecond;
}

}  // namespace idlemeter::http
