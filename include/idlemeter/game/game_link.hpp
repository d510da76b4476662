// Idle Meter inside of an engine: its frames go to a meter, and the meter's overlay onto its picture.
#pragma once

#include <cstdint>
#include <memory>

namespace idlemeter {

/// A game that links this needs no probe. The meter is the one that IDLEMETER_LINK in the environment names, as
/// `idlemeter play --linked -- GAME` sets it; without one every call returns at once.
///
/// One thread at a time, the one that draws. Nothing throws.
class GameLink {
 public:
  /// Finds an OpenGL call by name, like SDL_GL_GetProcAddress; asked at the first present.
  using FindCall = void* (*)(const char* name);

  /// For OpenGL 2.1 and later, OpenGL ES 2.0 and later.
  explicit GameLink(FindCall find);
  GameLink(const GameLink&) = delete;
  GameLink& operator=(const GameLink&) = delete;
  ~GameLink();

  /// Right before each swap, with the window's context current: stamps the frame, and draws the overlay over the
  /// default framebuffer. Width and height of the window in pixels. OpenGL's state is as it was afterwards. Tens of
  /// microseconds while an overlay is shown, else less than one.
  void before_swap(int width, int height);

  /// Right after it: the GPU's work on the next frame begins.
  void after_swap();

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace idlemeter
