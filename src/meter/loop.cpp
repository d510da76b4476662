#include "meter/loop.hpp"

#include <uv.h>

#include <exception>

#include "idlemeter/base/error.hpp"

namespace idlemeter::meter {

struct Loop::Watch {
  uv_poll_t handle{};
  Loop* loop = nullptr;
  std::function<void()> ready;
};

struct Loop::Timer {
  uv_timer_t handle{};
  Loop* loop = nullptr;
  std::function<void()> due;
};

Loop::Loop(std::function<void(const char*)> complain)
    : complain_(std::move(complain)), loop_(std::make_unique<uv_loop_t>()) {
  if (uv_loop_init(loop_.get()) != 0) throw Error(Error::Code::failed, "cannot make an event loop");
}

/// libuv gives a handle back in the next round.
template <typename T>
void Loop::close(std::unique_ptr<T> handle) {
  T* const raw = handle.release();
  raw->handle.data = raw;
  uv_close(reinterpret_cast<uv_handle_t*>(&raw->handle),
           [](uv_handle_t* closed) { delete static_cast<T*>(closed->data); });
}

Loop::~Loop() {
  for (auto& [fd, watch] : watches_) close(std::move(watch));
  if (timer_ != nullptr) close(std::move(timer_));
  uv_run(loop_.get(), UV_RUN_DEFAULT);
  uv_loop_close(loop_.get());
}

void Loop::watch(int fd, std::function<void()> ready) {
  auto made = std::make_unique<Watch>();
  if (uv_poll_init(loop_.get(), &made->handle, fd) != 0) throw Error(Error::Code::failed, "cannot watch a descriptor");
  made->loop = this;
  made->ready = std::move(ready);
  made->handle.data = made.get();
  uv_poll_start(&made->handle, UV_READABLE | UV_DISCONNECT, [](uv_poll_t* handle, int, int) {
    const auto* watch = static_cast<Watch*>(handle->data);
    const auto ready = watch->ready;  // a copy: it may remove itself
    watch->loop->call(ready);
  });
  watches_[fd] = std::move(made);
}

void Loop::unwatch(int fd) {
  const auto found = watches_.find(fd);
  if (found == watches_.end()) return;
  uv_poll_stop(&found->second->handle);
  close(std::move(found->second));
  watches_.erase(found);
}

void Loop::every(unsigned milliseconds, std::function<void()> due) {
  timer_ = std::make_unique<Timer>();
  uv_timer_init(loop_.get(), &timer_->handle);
  timer_->loop = this;
  timer_->due = std::move(due);
  timer_->handle.data = timer_.get();
  const auto tick = [](uv_timer_t* handle) {
    const auto* timer = static_cast<Timer*>(handle->data);
    timer->loop->call(timer->due);
  };
  uv_timer_start(&timer_->handle, tick, milliseconds, milliseconds);
}

void Loop::call(const std::function<void()>& callback) const {
  try {
    callback();
  } catch (const std::exception& error) {
    complain_(error.what());
  }
}

void Loop::run() { uv_run(loop_.get(), UV_RUN_DEFAULT); }
void Loop::stop() { uv_stop(loop_.get()); }

}  // namespace idlemeter::meter
