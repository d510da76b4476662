// Idle Meter: pixels.
#pragma once

#include <cstddef>
#include <cstdint>
#include <vector>

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

/// A part of an image, in pixels from its top left.
struct ImagePart {
  int x = 0, y = 0, width = 0, height = 0;
};

}  // namespace idlemeter
