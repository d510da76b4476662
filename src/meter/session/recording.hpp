// A recording in progress: of which game, and into which store.
#pragma once

#include <chrono>
#include <cstdint>
#include <filesystem>
#include <optional>

#include "idlemeter/base/time.hpp"
#include "idlemeter/meter/recording_plan.hpp"
#include "idlemeter/readings/run_sink.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/background_recorder.hpp"

namespace idlemeter::meter {

class Game;

/// One thread at a time. The game's readings have it as their sink; the game must outlive it until finish().
class Recording {
 public:
  /// Starts a run of the game, with facts from the values. `until`: its end on the session's clock; empty: finish().
  Recording(const std::filesystem::path& store, Game& game, const Snapshot& values, const RunNotes& notes,
            std::optional<Moment> until, BackgroundRecorder::Finished finished = {});

  /// Throws Error if the run's notes would be longer than limits::kNoteBytes.
  void add(const RunNotes& notes);

  [[nodiscard]] Game& game() const { return game_; }
  [[nodiscard]] RunSink& sink() { return recorder_; }
  [[nodiscard]] bool is_over(Moment now) const { return until_ && now >= *until_; }
  [[nodiscard]] std::optional<Moment> until() const { return until_; }

  /// Whether it was ended before its planned length.
  [[nodiscard]] bool is_short() const { return until_ && end_ && *end_ != RunEnd::time; }
  [[nodiscard]] std::optional<RunEnd> end() const { return end_; }

  /// Hands on how many frames the game has lost since the recording began.
  void note_lost();

  void finish(RunEnd end);
  void give_up() { recorder_.give_up(); }
  [[nodiscard]] BackgroundRecorder::State state() const { return recorder_.state(); }
  [[nodiscard]] bool is_done() const;
  [[nodiscard]] bool wait(Nanoseconds at_most) const { return recorder_.wait(at_most); }

 private:
  Game& game_;
  BackgroundRecorder recorder_;
  std::optional<Moment> until_;
  std::size_t note_bytes_ = 0;
  std::uint64_t lost_before_;  // by the game, when the recording began
  std::optional<RunEnd> end_;
};

}  // namespace idlemeter::meter
