#include "idlemeter/face/scene.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace idlemeter {
namespace {

bool holds(const Rect& rect, Point point) {
  return point.x >= rect.x && point.x < rect.x + rect.width && point.y >= rect.y && point.y < rect.y + rect.height;
}

}  // namespace

std::string to_string(const PartId& part) {
  switch (part.kind) {
    case PartId::Kind::row:
      return fmt::format("row:{}", part.row + 1);
    case PartId::Kind::cell:
      return fmt::format("row:{}/{}", part.row + 1, part.cell + 1);
    case PartId::Kind::pin:
      return fmt::format("pin:{}", part.pin + 1);
    case PartId::Kind::face:
      break;
  }
  return "face";
}

std::optional<PartId> Scene::part_at(Point point) const {
  const auto found =
      std::find_if(parts.rbegin(), parts.rend(), [&](const PartArea& area) { return holds(area.rect, point); });
  if (found != parts.rend()) return found->part;
  return holds(bounds, point) ? std::optional(PartId{}) : std::nullopt;
}

}  // namespace idlemeter
