// The meter's event loop, over libuv.
#pragma once

#include <functional>
#include <map>
#include <memory>

struct uv_loop_s;

namespace idlemeter::meter {

/// One thread at a time. Callbacks may add and remove watches, also their own.
class Loop {
 public:
  /// `complain` gets what a callback throws: nothing leaves run() by throwing.
  explicit Loop(std::function<void(const char*)> complain);
  Loop(const Loop&) = delete;
  Loop& operator=(const Loop&) = delete;
  ~Loop();

  /// Calls back while the descriptor has something to read, or its other end is gone.
  void watch(int fd, std::function<void()> ready);
  void unwatch(int fd);

  /// Calls back at that pace from now on.
  void every(unsigned milliseconds, std::function<void()> due);

  void run();
  void stop();

 private:
  struct Watch;
  struct Timer;
  template <typename T>
  void close(std::unique_ptr<T> handle);

  void call(const std::function<void()>& callback) const;

  std::function<void(const char*)> complain_;
  std::unique_ptr<uv_loop_s> loop_;
  std::map<int, std::unique_ptr<Watch>> watches_;
  std::unique_ptr<Timer> timer_;
};

}  // namespace idlemeter::meter
