// Idle Meter: recordings that start and end by themselves.
#pragma once

#include <chrono>
#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/runs/run.hpp"

namespace idlemeter {

/// What a user says of a run, see RunDetails.
struct RunNotes {
  std::map<std::string, std::string> settings = {};  ///< what was tried: "Preset" -> "High"
  std::string note = {};
  std::vector<std::string> tags = {};

  [[nodiscard]] bool empty() const { return settings.empty() && note.empty() && tags.empty(); }

  /// Of all its texts.
  [[nodiscard]] std::size_t bytes() const;

  /// Adds others: a setting of the same name is replaced, a note goes on a line of its own.
  void add(const RunNotes& more);

  friend bool operator==(const RunNotes&, const RunNotes&) = default;
};

struct RecordingPlan {
  static constexpr Nanoseconds kLongest = std::chrono::hours(24), kShortest = kSecond / 10;
  static constexpr int kMostRuns = 1'000;

  Nanoseconds after{};                     ///< from now, or the game's first frame if that is later; up to kLongest
  bool at_mark = false;                    ///< instead, the first run begins at a mark
  std::optional<Nanoseconds> length = {};  ///< of each run, kShortest to kLongest; empty: until it is stopped
  int repeat = 1;                          ///< runs, up to kMostRuns; more than one only with a length
  Nanoseconds pause{};                     ///< from one to the next; up to kLongest
  RunNotes notes = {};                     ///< of every run
};

/// What is wrong with a plan, and how to put it right; empty if it can be carried out.
[[nodiscard]] std::string problem_with(const RecordingPlan& plan);

/// A recording that has ended, in a meter's report.
struct RecordedRun {
  std::int64_t run = 0;            ///< 0: the store never took it
  std::optional<RunEnd> end = {};  ///< empty if it failed
  bool is_short = false;           ///< it ended before its planned length
  std::string problem = {};        ///< why it isn't all on the disk; empty if it is
};

}  // namespace idlemeter
