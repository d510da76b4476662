// Idle Meter: recordings that start and end by themselves.
#pragma once

#include <chrono>
#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <string_view>
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

/// A plan as people write it. What is empty isn't planned.
struct RecordingPlanText {
  std::string length = {}, after = {}, repeat = {}, pause = {};  ///< "90s", "mark", "3", "1:30"
  std::vector<std::string> settings = {};                        ///< "preset=High"
  std::string note = {};
  std::vector<std::string> tags = {};
};

/// Throws Error (invalid) that names the text which can't be read, or says what is wrong with the plan.
[[nodiscard]] RecordingPlan plan_from(const RecordingPlanText& text);

/// A time of a plan: "60" (seconds), "90s" or "1:30". Throws Error (invalid) if it isn't one from `least` to kLongest.
[[nodiscard]] Nanoseconds plan_time_from(std::string_view text, Nanoseconds least = {});

/// Adds a setting like "preset=High". Throws Error (invalid) if it isn't one.
void add_setting(std::string_view text, std::map<std::string, std::string>& settings);

/// "3 runs of 1:00, the last one ending 4:10 after the start"; "" if the plan has no length.
[[nodiscard]] std::string plan_words(const RecordingPlan& plan);

/// A recording that has ended, in a meter's report.
struct RecordedRun {
  std::int64_t run = 0;            ///< 0: the store never took it
  std::optional<RunEnd> end = {};  ///< empty if it failed
  bool is_short = false;           ///< it ended before its planned length
  std::string problem = {};        ///< why it isn't all on the disk; empty if it is
};

}  // namespace idlemeter
