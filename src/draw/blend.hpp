// Pixels onto pixels, colours multiplied by alpha (Porter & Duff 1984, "over").
#pragma once

#include <cstdint>

#include "idlemeter/face/color.hpp"

namespace idlemeter::draw {

/// x * a / 255, rounded, for x and a from 0 to 255.
constexpr std::uint32_t scaled(std::uint32_t x, std::uint32_t a) {
  const std::uint32_t t = x * a + 128;
  return (t + (t >> 8)) >> 8;
}

/// A pixel with each of its four channels times a / 255.
constexpr std::uint32_t faded(std::uint32_t pixel, std::uint32_t a) {
  // Two channels at a time, each in the lower half of a 16-bit lane.
  std::uint32_t even = (pixel & 0x00ff00ff) * a + 0x00800080;
  std::uint32_t odd = ((pixel >> 8) & 0x00ff00ff) * a + 0x00800080;
  even = (even + ((even >> 8) & 0x00ff00ff)) >> 8 & 0x00ff00ff;
  odd = (odd + ((odd >> 8) & 0x00ff00ff)) & 0xff00ff00;
  return even | odd;
}

constexpr std::uint32_t premultiplied(Color color) {
  return std::uint32_t{color.alpha} << 24 | scaled(color.red, color.alpha) << 16 |
         scaled(color.green, color.alpha) << 8 | scaled(color.blue, color.alpha);
}

constexpr std::uint32_t over(std::uint32_t front, std::uint32_t behind) {
  return front + faded(behind, 255 - (front >> 24));
}

}  // namespace idlemeter::draw
