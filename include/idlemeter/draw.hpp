// Idle Meter: scenes as pixels.
#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <vector>

#include "idlemeter/scene.hpp"

namespace idlemeter {

/// Pixels from the top left, row by row, 0xAARRGGBB with colours multiplied by alpha.
struct Image {
  int width = 0, height = 0;
  std::vector<std::uint32_t> pixels;

  Image() = default;
  Image(int w, int h) : width(w), height(h), pixels(static_cast<std::size_t>(w) * static_cast<std::size_t>(h)) {}

  [[nodiscard]] std::uint32_t at(int x, int y) const {
    return pixels[static_cast<std::size_t>(y) * static_cast<std::size_t>(width) + static_cast<std::size_t>(x)];
  }
};

/// Draws scenes, and knows how large their texts are. Keeps the shapes of texts that it has drawn (some megabytes at
/// most), so that drawing the same words again costs little. The first text loads fonts: about 10 ms.
///
/// One thread at a time.
class Painter : public TextMeasure {
 public:
  Painter();
  ~Painter() override;

  [[nodiscard]] TextExtent measure(const std::string& text, const TextStyle& style) override;

  /// Draws the scene onto the image, whose top left corner is at (x, y) of the scene's picture. What falls outside is
  /// left out.
  void draw(const Scene& scene, Image& onto, int x = 0, int y = 0);

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// Throws Error where the file can't be read or holds no PNG.
[[nodiscard]] Image read_png(const std::filesystem::path& file);

/// Replaces the file in one step: it is the old one or the new one, never half. Throws Error where it can't be written.
void write_png(const Image& image, const std::filesystem::path& file);

}  // namespace idlemeter
