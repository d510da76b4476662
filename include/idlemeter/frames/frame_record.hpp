// Idle Meter: one frame of a game or a run.
#pragma once

#include "idlemeter/base/time.hpp"

namespace idlemeter {

/// All in nanoseconds.
struct FrameRecord {
  Nanoseconds at = 0;         ///< when it was presented: on the monotonic clock, or since the start of a run
  Nanoseconds interval = 0;   ///< since the present before it
  Nanoseconds gpu_work = -1;  ///< how long the GPU worked on it; -1 if that is unknown

  friend bool operator==(const FrameRecord&, const FrameRecord&) = default;
};

}  // namespace idlemeter
