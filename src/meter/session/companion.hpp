// A game that is started, and the loop beside it.
#pragma once

#include <signal.h>
#include <sys/types.h>

#include <filesystem>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/meter/meter.hpp"
#include "idlemeter/meter/play_game.hpp"
#include "meter/entrance/container.hpp"

namespace idlemeter::meter {

/// While it exists, signals wait to be read. Make it before any thread: each would get them, too.
class TakenSignals {
 public:
  TakenSignals();
  TakenSignals(const TakenSignals&) = delete;
  TakenSignals& operator=(const TakenSignals&) = delete;
  /// Drops those that nobody has read, and handles signals as before.
  ~TakenSignals();

 private:
  sigset_t before_{};
};

/// Starts the game with the signals that it would have had. Returns 0 if it can't be started: `error` says why.
pid_t start(std::vector<std::string> words, std::vector<std::string> variables, int& error);

/// A variable of the environment and its value.
using Mark = std::pair<std::string, std::string>;

/// Passes signals on, and ends the meter's loop when the game has ended, with all that it started and that presents.
class Companion {
 public:
  /// `attached` is a game that another process has started; otherwise `game` is this one's child, and those that it has
  /// started have the mark in their environment.
  Companion(Meter& meter, pid_t game, pid_t attached, Mark mark);
  Companion(const Companion&) = delete;
  Companion& operator=(const Companion&) = delete;
  ~Companion();

  /// Ends the game: SIGTERM to it and to all games that the meter has, SIGKILL after a grace period.
  void end_game();

  /// Ends the game if nothing has presented after that long.
  void end_without_frames(Nanoseconds after) { silent_until_ = monotonic_now() + after; }

  /// True if the game was asked to end before it had ended: by end_game(), or by a signal to this process.
  [[nodiscard]] bool game_was_asked_to_end() const { return game_was_asked_; }

  /// The last program seen of what was started and doesn't present.
  [[nodiscard]] const Unmeasured& unmeasured() const { return unmeasured_; }

  /// Looks whether what was started is a 32-bit program, as behind a launcher, while no game presents; ends it then, if
  /// wanted.
  void look_for_32_bit(bool ends_it);
  [[nodiscard]] const std::string& program_32_bit() const { return program_32_bit_; }

  /// Looks, while no game presents, for one in a container that lacks any of these files.
  void look_for_containers(std::vector<std::filesystem::path> needed) { needed_ = std::move(needed); }
  [[nodiscard]] const Contained& contained() const { return contained_; }

  /// Whether somebody has just ended the game through this program: it didn't crash.
  static bool was_asked_to_end();

  /// The game's status as wait() gives it.
  [[nodiscard]] int status() const { return status_; }

 private:
  void pass_signals();
  void note_asked_to_end();
  void look();
  void signal_games(int number);
  bool is_still_coming();
  void find_32_bit();
  void find_unmeasured();
  void look_at_programs();

  Meter& meter_;
  pid_t game_, attached_;
  int signals_ = -1, timer_ = -1, status_ = 0;
  Mark mark_;
  bool ended_ = false, seen_ = false, left_ = false, game_was_asked_ = false;
  std::optional<Moment> silent_until_;
  Unmeasured unmeasured_;
  bool looks_for_32_bit_ = false, ends_32_bit_ = false;
  std::string program_32_bit_;
  std::vector<std::filesystem::path> needed_;
  Contained contained_;
  int looks_ = 0;   // so far
  int end_in_ = 0;  // looks until SIGKILL; 0: nobody asked
  int waited_ = 0;  // looks since the game ended
  int quiet_ = 0;   // looks at which all was over
};

}  // namespace idlemeter::meter
