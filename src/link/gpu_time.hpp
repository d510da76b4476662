// Whether the GPU's work on frames is timed, as the meter asks of the games that it starts.
#pragma once

#include <stdlib.h>
#include <string.h>

#include "idlemeter/base/time.hpp"

namespace idlemeter::link {

/// What a GPU's clock says of one frame.
struct GpuTimes {
  Nanoseconds work = kUnknownTime;
  Nanoseconds latency = kUnknownTime;  ///< see FrameEntry
};

inline constexpr const char* kGpuTimeVariable = "IDLEMETER_GPU_TIME";  // "on", "off"; anything else: automatic

/// If reading the GPU's clock makes the renderer stop, as on a software rasteriser, it is read only on request.
inline bool times_gpu(bool stops_for_it) {
  const char* choice = ::getenv(kGpuTimeVariable);
  if (choice != nullptr && ::strcmp(choice, "off") == 0) return false;
  return !stops_for_it || (choice != nullptr && ::strcmp(choice, "on") == 0);
}

}  // namespace idlemeter::link
