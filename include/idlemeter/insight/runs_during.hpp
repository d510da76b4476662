// Idle Meter: what else was recorded while a log went on.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/runs/run.hpp"

namespace idlemeter {

/// A run on the time axis of another.
struct RunMeanwhile {
  std::int64_t id = 0;
  std::string game = {};
  Nanoseconds begin{}, end{};  ///< since the start of the other; begin may be before it
};

/// The runs that overlap this one, by when each began (to a second, on the clock of the day) and how long it is;
/// without itself. In order of time. O(n log n).
[[nodiscard]] std::vector<RunMeanwhile> runs_during(const std::vector<RunInfo>& all, const RunInfo& one);

/// "Meanwhile: run 5, Tidepool Rally, from 12:30 to 13:30.", a sentence for all; empty if there are none.
[[nodiscard]] std::string meanwhile_words(const std::vector<RunMeanwhile>& runs);

}  // namespace idlemeter
