// A recording at work: where it goes, what it is of, and when it ends.
#pragma once

#include <cstdint>
#include <filesystem>
#include <vector>

#include "idlemeter/recorder.hpp"

namespace idlemeter::meter {

class Game;

/// One thread at a time. The game must outlive it. Calls throw Error where the store can't be written.
class Recording {
 public:
  /// Begins a run of the game, with facts from the values; for so many seconds, 0: until it is finished.
  Recording(const std::filesystem::path& store, Game& game, const Snapshot& values, double seconds, Nanoseconds now);

  [[nodiscard]] Game& game() const { return game_; }
  [[nodiscard]] std::int64_t id() const { return recorder_.id(); }
  [[nodiscard]] bool is_over(Nanoseconds now) const { return until_ > 0 && now >= until_; }

  /// Those presented since the beginning.
  void add(const std::vector<FrameRecord>& frames);

  /// Twice a second; otherwise nothing is done.
  void add(const Snapshot& values, Nanoseconds now);

  /// Sets a mark, seen in the next values; how many there are.
  int mark();
  [[nodiscard]] int marks() const { return marks_; }

  std::int64_t finish() { return recorder_.finish(); }

 private:
  Store store_;
  Game& game_;
  Recorder recorder_;
  Nanoseconds since_, until_, values_due_ = 0;
  int marks_ = 0;
};

}  // namespace idlemeter::meter
