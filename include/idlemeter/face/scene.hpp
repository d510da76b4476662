// Idle Meter: what is to be drawn, as shapes with places.
#pragma once

#include <cstddef>
#include <cstdint>
#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "idlemeter/face/color.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/text_measure.hpp"

namespace idlemeter {

// Places and lengths in a scene are pixels of the picture, from its top left corner.

struct Point {
  double x = 0, y = 0;
  friend bool operator==(const Point&, const Point&) = default;
};

struct Rect {
  double x = 0, y = 0, width = 0, height = 0;
  friend bool operator==(const Rect&, const Rect&) = default;
};

struct BoxShape {
  Rect rect;
  Color color;
  double radius = 0;
  friend bool operator==(const BoxShape&, const BoxShape&) = default;
};

struct TextShape {
  std::string text;
  TextStyle style;
  Color color;
  double x = 0;         ///< left end
  double baseline = 0;  ///< y
  Edge edge = Edge::none;
  friend bool operator==(const TextShape&, const TextShape&) = default;
};

/// A line through points whose x doesn't fall.
struct TraceShape {
  Rect rect;
  std::vector<Point> points;
  Color color;
  double line_width = 1;
  friend bool operator==(const TraceShape&, const TraceShape&) = default;
};

/// An arc from the bottom left over the top to the bottom right, filled up to a share of it.
struct RingShape {
  Rect rect;  ///< the circle's square
  double thickness = 4;
  double share = 0;  ///< 0 to 1
  Color color, ground;
  friend bool operator==(const RingShape&, const RingShape&) = default;
};

/// A picture, or a part of one: `source` in shares of its width and height.
struct PictureShape {
  Rect rect;
  std::string file;
  Rect source{0, 0, 1, 1};
  friend bool operator==(const PictureShape&, const PictureShape&) = default;
};

using Shape = std::variant<BoxShape, TextShape, TraceShape, RingShape, PictureShape>;

/// A part of a face, by its place in it.
struct PartId {
  enum class Kind : std::uint8_t { face, row, cell, pin };
  Kind kind = Kind::face;
  std::size_t row = 0;   ///< of a row or a cell, from 0
  std::size_t cell = 0;  ///< in its row, from 0
  std::size_t pin = 0;   ///< from 0
  friend bool operator==(const PartId&, const PartId&) = default;
};

/// What FaceText calls it: "face", "row:2", "row:2/1", "pin:3".
[[nodiscard]] std::string to_string(const PartId& part);

/// Where a part is in a picture.
struct PartArea {
  PartId part;
  Rect rect;
  friend bool operator==(const PartArea&, const PartArea&) = default;
};

/// Shapes from back to front; `bounds` holds the box of the rows and all pins.
struct Scene {
  int width = 0, height = 0;  ///< of the picture
  std::vector<Shape> shapes;
  Rect bounds;
  std::vector<PartArea> parts = {};  ///< in the order of drawing: the face's box, each row before its cells

  /// The last part drawn at a point: what is seen there. The face itself anywhere in its bounds; else empty.
  [[nodiscard]] std::optional<PartId> part_at(Point point) const;

  friend bool operator==(const Scene&, const Scene&) = default;
};

}  // namespace idlemeter
