// Idle Meter: recordings that start and end by themselves.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"

namespace idlemeter {

/// What a user says of a run, see RunDetails.
struct RunNotes {
  std::map<std::string, std::string> settings = {};  ///< what was tried: "Preset" -> "High"
  std::string note = {};
  std::vector<std::string> tags = {};

  friend bool operator==(const RunNotes&, const RunNotes&) = default;
};

struct RecordingPlan {
  Nanoseconds after{};                     ///< from now to the first run; up to a day
  std::optional<Nanoseconds> length = {};  ///< of each run, up to a day; empty: until it is stopped
  int repeat = 1;                          ///< runs, 1 to 1,000; more than one only with a length
  Nanoseconds pause{};                     ///< from one to the next; up to a day
  RunNotes notes = {};                     ///< of every run
};

/// A recording that has ended, in a meter's report.
struct RecordedRun {
  std::int64_t run = 0;      ///< 0: the store never took it
  bool is_short = false;     ///< the game, or a command, ended it before its planned length
  std::string problem = {};  ///< why it isn't all on the disk; empty if it is
};

}  // namespace idlemeter
