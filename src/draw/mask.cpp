#include "draw/mask.hpp"

#include <algorithm>

#include "draw/blend.hpp"

namespace idlemeter::draw {
namespace {

/// The largest of each `length` neighbours, out[i] = max in[i - length + 1 … i] with zeros outside, for `lines` lines
/// at once: element i of line l stands at i * lines + l. Three comparisons an element, however long (van Herk 1992; Gil
/// & Werman 1993). `in` has n elements a line, the result n + length - 1.
std::vector<std::uint8_t> widened(const std::vector<std::uint8_t>& in, std::size_t n, std::size_t lines,
                                  std::size_t length) {
  const std::size_t padded = n + 2 * (length - 1), results = n + length - 1;
  std::vector<std::uint8_t> forward(padded * lines), backward(padded * lines), out(results * lines);
  std::copy(in.begin(), in.end(), forward.begin() + static_cast<std::ptrdiff_t>((length - 1) * lines));
  backward = forward;
  const auto take_most = [lines](std::uint8_t* into, const std::uint8_t* other) {
    for (std::size_t l = 0; l < lines; ++l) into[l] = std::max(into[l], other[l]);
  };
  for (std::size_t i = 1; i < padded; ++i) {
    if (i % length != 0) take_most(&forward[i * lines], &forward[(i - 1) * lines]);
  }
  for (std::size_t i = padded - 1; i-- > 0;) {
    if ((i + 1) % length != 0) take_most(&backward[i * lines], &backward[(i + 1) * lines]);
  }
  for (std::size_t i = 0; i < results; ++i) {
    std::copy_n(&backward[i * lines], lines, &out[i * lines]);
    take_most(&out[i * lines], &forward[(i + length - 1) * lines]);
  }
  return out;
}

std::vector<std::uint8_t> transposed(const std::vector<std::uint8_t>& in, std::size_t width, std::size_t height) {
  std::vector<std::uint8_t> out(in.size());
  constexpr std::size_t kTile = 64;  // so that both stay within the cache
  for (std::size_t top = 0; top < height; top += kTile) {
    for (std::size_t left = 0; left < width; left += kTile) {
      for (std::size_t y = top; y < std::min(height, top + kTile); ++y) {
        for (std::size_t x = left; x < std::min(width, left + kTile); ++x) out[x * height + y] = in[y * width + x];
      }
    }
  }
  return out;
}

}  // namespace

Mask grown(const Mask& shape, int radius, int fall) {
  Mask rim{shape.left - radius, shape.top - radius, shape.width + 2 * radius, shape.height + 2 * radius + fall, {}};
  if (shape.cover.empty()) return {};
  const auto size = [](int n) { return static_cast<std::size_t>(n); };
  auto tall = widened(shape.cover, size(shape.height), size(shape.width), size(2 * radius + fall + 1));
  auto across = transposed(tall, size(shape.width), size(rim.height));
  across = widened(across, size(shape.width), size(rim.height), size(2 * radius + 1));
  rim.cover = transposed(across, size(rim.height), size(rim.width));
  return rim;
}

void blend(const Mask& mask, std::uint32_t pixel, Image& onto, int x, int y) {
  x += mask.left;
  y += mask.top;
  const int first_row = std::max(0, -y), last_row = std::min(mask.height, onto.height - y);
  const int first = std::max(0, -x), last = std::min(mask.width, onto.width - x);
  for (int row = first_row; row < last_row; ++row) {
    const std::uint8_t* cover = &mask.cover[static_cast<std::size_t>(row) * static_cast<std::size_t>(mask.width)];
    std::uint32_t* here = &onto.pixels[static_cast<std::size_t>(y + row) * static_cast<std::size_t>(onto.width)] + x;
    for (int column = first; column < last; ++column) {
      if (cover[column] != 0) here[column] = over(faded(pixel, cover[column]), here[column]);
    }
  }
}

}  // namespace idlemeter::draw
