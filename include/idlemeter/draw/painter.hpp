// Idle Meter: draws scenes.
#pragma once

#include <cstddef>
#include <memory>
#include <string>

#include "idlemeter/draw/image.hpp"
#include "idlemeter/face/scene.hpp"
#include "idlemeter/face/text_measure.hpp"

namespace idlemeter {

/// Draws scenes and measures their texts. Caches the shapes of texts (up to 64 MiB) and the pictures of faces (as much
/// again), so that drawing the same scene again is cheap. The first text loads fonts, which takes
/// about 10 ms.
///
/// Whatever a scene asks for, drawing it is bounded: see limits.hpp. Text that isn't UTF-8, and control characters,
/// show as U+FFFD. One thread at a time.
class Painter : public TextMeasure {
 public:
  Painter();
  ~Painter() override;

  [[nodiscard]] TextExtent measure(const std::string& text, const TextStyle& style) override;

  /// Draws the scene onto the image, whose top left corner is at (x, y) of the scene's picture. What falls outside is
  /// left out. Returns how many shapes were left out because the scene has more to paint than limits::kScenePixels.
  std::size_t draw(const Scene& scene, Image& onto, int x = 0, int y = 0);

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace idlemeter
