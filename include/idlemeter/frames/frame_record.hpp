// Idle Meter: one frame of a game or a run.
#pragma once

#include "idlemeter/base/time.hpp"

namespace idlemeter {

struct FrameRecord {
  Moment at{};                          ///< when it was presented
  Nanoseconds interval{};               ///< since the present before it
  Nanoseconds gpu_work = kUnknownTime;  ///< how long the GPU worked on it

  friend bool operator==(const FrameRecord&, const FrameRecord&) = default;
};

}  // namespace idlemeter
