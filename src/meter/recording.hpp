// A recording at work: where it goes, what it is of, and when it ends.
#pragma once

#include <cstdint>
#include <filesystem>
#include <span>

#include "runs/background_recorder.hpp"

namespace idlemeter::meter {

class Game;

/// One thread at a time. The game must outlive it until finish().
class Recording {
 public:
  /// Begins a run of the game, with facts from the values; `since` is its start, and so many seconds its length, 0:
  /// until it is finished.
  Recording(const std::filesystem::path& store, Game& game, const Snapshot& values, double seconds, Nanoseconds since);

  [[nodiscard]] Game& game() const { return game_; }
  [[nodiscard]] bool is_over(Nanoseconds now) const { return until_ > 0 && now >= until_; }

  /// Those presented from its start until its end.
  void add(std::span<const FrameRecord> frames);

  /// Twice a second; otherwise nothing is done.
  void add(const Snapshot& values, Nanoseconds now);

  /// Sets a mark, seen in the next values; how many there are.
  int mark();
  [[nodiscard]] int marks() const { return marks_; }

  void finish() { recorder_.finish(); }
  void give_up() { recorder_.give_up(); }
  [[nodiscard]] BackgroundRecorder::State state() const { return recorder_.state(); }
  [[nodiscard]] bool is_done() const;
  [[nodiscard]] bool wait(std::chrono::nanoseconds at_most) const { return recorder_.wait(at_most); }

 private:
  Game& game_;
  BackgroundRecorder recorder_;
  Nanoseconds since_, until_, values_due_ = 0;
  int marks_ = 0;
};

}  // namespace idlemeter::meter
