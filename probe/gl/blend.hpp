// The overlay in the game's own context: draws one picture over the default framebuffer and leaves every state as it
// was.
#pragma once

#include <cstdint>

#include "gl/functions.hpp"
#include "idlemeter/base/time.hpp"
#include "link/probe_end.hpp"

namespace idlemeter::probe {

/// What the probe has in one context. Objects go with the context.
class Blend {
 public:
  /// Puts the picture onto the window, whose height is given in pixels. The context is current.
  void draw(const Gl& gl, const link::ProbeEnd& end, const link::Shown& shown, int window_width, int window_height);

 private:
  bool prepare(const Gl& gl);
  bool make_program(const Gl& gl);
  void upload(const Gl& gl, const link::ProbeEnd& end, const link::Shown& shown);

  bool failed_ = false;
  GLuint program_ = 0, texture_ = 0, corners_ = 0, vertices_ = 0;
  GLint place_ = -1;
  std::uint64_t uploaded_ = 0;
  std::uint32_t width_ = 0, height_ = 0;
};

/// How long the GPU works on frames, by pairs of timestamps read some frames late. On a software rasteriser, which has
/// to flush for each timestamp, only if that is asked for (link::times_gpu), and then ten times a second.
class GlGpuClock {
 public:
  /// Ends the frame that began with the last call of begin(); nanoseconds of an earlier frame, or -1.
  Nanoseconds end(const Gl& gl);
  void begin(const Gl& gl);

 private:
  static constexpr unsigned kPairs = 32;
  GLuint queries_[2 * kPairs] = {};
  std::uint32_t ended_ = 0, read_ = 0;
  Moment slow_due_{};
  bool made_ = false, begun_ = false, failed_ = false;
};

}  // namespace idlemeter::probe
