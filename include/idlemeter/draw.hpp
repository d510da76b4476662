// Idle Meter: scenes as pixels.
#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "idlemeter/limits.hpp"
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

/// Draws scenes, and knows how large their texts are. Keeps the shapes of texts that it has drawn (up to 64 MiB) and
/// the pictures of faces (as much again), so that drawing the same again costs little. The first text loads fonts:
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

/// Throws Error if the file can't be read, isn't a PNG, or has more pixels than that, which is seen before anything is
/// decoded.
[[nodiscard]] Image read_png(const std::filesystem::path& file, std::size_t most_pixels = limits::kPicturePixels);

/// The same of a PNG's bytes; `where` is what an Error calls them.
[[nodiscard]] Image decode_png(std::string_view bytes, const std::string& where,
                               std::size_t most_pixels = limits::kPicturePixels);

/// The image as a PNG's bytes. Throws Error if a side is over 32,767 pixels.
[[nodiscard]] std::string encode_png(const Image& image);

/// Replaces the file in one step: it is the old one or the new one, never half. Links are followed, devices written
/// into. Throws Error if it can't be written.
void write_png(const Image& image, const std::filesystem::path& file);

}  // namespace idlemeter
