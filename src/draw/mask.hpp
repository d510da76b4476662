// How strongly something covers pixels.
#pragma once

#include <cstddef>
#include <cstdint>
#include <vector>

#include "idlemeter/draw/image.hpp"

namespace idlemeter::draw {

/// How strongly each pixel is covered, 0 to 255; `left` and `top` from the text's origin on the baseline.
struct Mask {
  int left = 0, top = 0, width = 0, height = 0;
  std::vector<std::uint8_t> cover;

  [[nodiscard]] std::size_t pixels() const {
    return static_cast<std::size_t>(width) * static_cast<std::size_t>(height);
  }
};

/// The shape grown by `radius` pixels in every direction and, as a shadow falls, by `fall` more downwards. O(pixels).
Mask grown(const Mask& shape, int radius, int fall);

/// Puts a colour (premultiplied) onto the image wherever the mask covers it, with the mask's origin at (x, y).
void blend(const Mask& mask, std::uint32_t pixel, Image& onto, int x, int y);

}  // namespace idlemeter::draw
