#include "draw/trace.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "draw/blend.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/face/scene.hpp"

namespace idlemeter::draw {
namespace {

struct Reach {
  double top = std::numeric_limits<double>::max();
  double bottom = std::numeric_limits<double>::lowest();

  void take(double y) {
    top = std::min(top, y);
    bottom = std::max(bottom, y);
  }
};

/// Between two points, the columns from that of `a` to that of `b` each take their part of the segment.
void take_segment(std::vector<Reach>& columns, Point a, Point b) {
  const auto last = static_cast<double>(columns.size() - 1);
  const double first_column = std::clamp(std::floor(a.x), 0.0, last),
               last_column = std::clamp(std::floor(b.x), 0.0, last);
  const double slope = b.x > a.x ? (b.y - a.y) / (b.x - a.x) : 0;
  for (double column = first_column; column <= last_column; ++column) {
    Reach& reach = columns[static_cast<std::size_t>(column)];
    reach.take(column > a.x ? a.y + slope * (column - a.x) : a.y);
    reach.take(column + 1 < b.x ? a.y + slope * (column + 1 - a.x) : b.y);
  }
}

/// Covers pixels of one column between `top` and `bottom`, the end ones in part.
void cover(Image& onto, int x, double top, double bottom, std::uint32_t pixel) {
  const int first = std::max(0, static_cast<int>(std::floor(top))),
            end = std::min(onto.height, static_cast<int>(std::ceil(bottom)));
  for (int y = first; y < end; ++y) {
    const double part = std::min(bottom, y + 1.0) - std::max(top, static_cast<double>(y));
    std::uint32_t& here =
        onto.pixels[static_cast<std::size_t>(y) * static_cast<std::size_t>(onto.width) + static_cast<std::size_t>(x)];
    here = over(faded(pixel, static_cast<std::uint32_t>(std::lround(255 * std::clamp(part, 0.0, 1.0)))), here);
  }
}

}  // namespace

void draw_trace(const TraceShape& trace, Image& onto, int x, int y) {
  const int width = static_cast<int>(std::ceil(trace.rect.width));
  if (width <= 0 || trace.points.empty()) return;
  std::vector<Reach> columns(static_cast<std::size_t>(width));
  const auto local = [&](Point p) { return Point{p.x - trace.rect.x, p.y - y}; };
  Point before = local(trace.points.front());
  for (const Point& point : trace.points) {
    const Point here = local(point);
    take_segment(columns, before, here);
    before = here;
  }
  const std::uint32_t pixel = premultiplied(trace.color);
  const double half = trace.line_width / 2;
  const int left = static_cast<int>(std::lround(trace.rect.x)) - x;
  const double ceiling = trace.rect.y - y, floor = ceiling + trace.rect.height;
  for (int column = std::max(0, -left); column < width && left + column < onto.width; ++column) {
    const Reach& reach = columns[static_cast<std::size_t>(column)];
    if (reach.top > reach.bottom) continue;
    // A line along the edge of its field stays inside as a whole.
    const double top = std::max(ceiling, std::min(reach.top - half, floor - 2 * half)),
                 bottom = std::min(floor, std::max(reach.bottom + half, ceiling + 2 * half));
    cover(onto, left + column, top, bottom, pixel);
  }
}

}  // namespace idlemeter::draw
