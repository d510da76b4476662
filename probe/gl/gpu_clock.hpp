// How long the GPU works on frames of OpenGL, and when it is done with them.
#pragma once

#include <cstdint>

#include "gl/functions.hpp"
#include "idlemeter/base/time.hpp"
#include "link/gpu_time.hpp"

namespace idlemeter::probe {

/// How long the GPU works on frames and when it has finished them, by pairs of timestamps. They are read some frames
/// late, and compared with the monotonic clock once a second. On a software rasteriser, which has to flush for each
/// timestamp, only if that is asked for (link::times_gpu), and then ten times a second.
class GlGpuClock {
 public:
  /// Ends the frame that began with the last call of begin(); the times of an earlier frame.
  link::GpuTimes end(const Gl& gl);
  void begin(const Gl& gl);

 private:
  static constexpr unsigned kPairs = 32;
  /// Makes the queries once; false where the GPU has no clock of use.
  bool make(const Gl& gl);
  void calibrate(const Gl& gl, Moment now);

  GLuint queries_[2 * kPairs] = {};
  Moment begun_at_[kPairs] = {};
  Moment calibrated_{};  // stays 0 if the clocks can't be compared
  Nanoseconds ahead_{};  // how far the monotonic clock is ahead of the GPU's
  std::uint32_t ended_ = 0, read_ = 0;
  Moment slow_due_{};
  bool made_ = false, begun_ = false, failed_ = false;
};

}  // namespace idlemeter::probe
