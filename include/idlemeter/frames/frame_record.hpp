// Idle Meter: one frame of a game or a run.
#pragma once

#include <span>
#include <vector>

#include "idlemeter/base/time.hpp"

namespace idlemeter {

struct FrameRecord {
  Moment at{};                          ///< when it was presented
  Nanoseconds interval{};               ///< since the present before it
  Nanoseconds gpu_work = kUnknownTime;  ///< how long the GPU worked on it

  friend bool operator==(const FrameRecord&, const FrameRecord&) = default;
};

/// Only the intervals, ready for summarize(). O(n).
[[nodiscard]] inline std::vector<Nanoseconds> intervals_in(std::span<const FrameRecord> frames) {
  std::vector<Nanoseconds> intervals;
  intervals.reserve(frames.size());
  for (const FrameRecord& frame : frames) intervals.push_back(frame.interval);
  return intervals;
}

}  // namespace idlemeter
