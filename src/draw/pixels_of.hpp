// Which pixels drawing may touch.
#pragma once

#include <algorithm>
#include <cmath>

#include "idlemeter/draw/image.hpp"
#include "idlemeter/face/scene.hpp"

namespace idlemeter::draw {

/// Of a scene with these bounds, within a picture of that size: also what shadows and edges cover around them.
[[nodiscard]] inline ImagePart pixels_of(const Rect& bounds, int width, int height) {
  constexpr double kEdge = 4;
  const auto within = [](double place, int most) {
    return static_cast<int>(std::clamp(place, 0.0, static_cast<double>(most)));
  };
  const int left = within(std::floor(bounds.x - kEdge), width), top = within(std::floor(bounds.y - kEdge), height);
  const int right = within(std::ceil(bounds.x + bounds.width + kEdge), width);
  const int bottom = within(std::ceil(bounds.y + bounds.height + kEdge), height);
  return {left, top, right - left, bottom - top};
}

}  // namespace idlemeter::draw
