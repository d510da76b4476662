// Idle Meter: how late a frame is.
#pragma once

#include "idlemeter/base/time.hpp"

namespace idlemeter {

/// From the start of a frame's work on the processor; known some frames later, and live only: a run keeps the readings
/// of the means.
struct FrameLatency {
  Moment at{};                        ///< when it became known
  Nanoseconds gpu = kUnknownTime;     ///< to the end of the GPU's work on it
  Nanoseconds screen = kUnknownTime;  ///< to its picture on the screen
};

}  // namespace idlemeter
