// The game to try the overlay on.
#pragma once

#include <sys/types.h>

#include <mutex>
#include <string>
#include <vector>

#include "desk/wire.hpp"

namespace idlemeter::desk {

/// Starts the game and its meter, and knows how that went. Any thread.
class DemoGame {
 public:
  /// The command, word by word; empty: no demo game.
  explicit DemoGame(std::vector<std::string> command) : command_(std::move(command)) {}
  DemoGame(const DemoGame&) = delete;
  DemoGame& operator=(const DemoGame&) = delete;
  ~DemoGame();

  /// Throws Error if there is no demo game, or if it is already running or can't be started.
  void start();

  /// {"there": whether there is one, "runs", "problem": the last line that it ended with, if it failed}.
  [[nodiscard]] Json state();

 private:
  /// Notes whether the game has ended, and how.
  void notice_its_end();

  std::mutex mutex_;
  std::vector<std::string> command_;
  pid_t process_ = 0;
  int complaints_ = -1;  ///< a file in memory, with what it has written to its standard error
  std::string problem_;
};

}  // namespace idlemeter::desk
