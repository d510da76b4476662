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

}  // namespace idlemeter::probe
