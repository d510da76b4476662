// Idle Meter: which process is the game.
#pragma once

#include <atomic>

namespace idlemeter {

/// The process that a machine's sources look at for what a game uses; may change while they run. Any thread.
class GamePid {
 public:
  explicit GamePid(int pid = 0) : pid_(pid) {}

  void set(int pid) { pid_.store(pid, std::memory_order_relaxed); }

  /// 0: no game.
  [[nodiscard]] int get() const { return pid_.load(std::memory_order_relaxed); }

 private:
  std::atomic<int> pid_;
};

}  // namespace idlemeter
