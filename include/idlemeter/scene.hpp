// Idle Meter: what is to be drawn, as shapes with places, and how a face becomes one.
#pragma once

#include <algorithm>
#include <deque>
#include <map>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "idlemeter/face.hpp"
#include "idlemeter/reading.hpp"

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

struct TextStyle {
  std::string font = "sans";
  double size = 18;  ///< pixels
  bool bold = false;
  friend auto operator<=>(const TextStyle&, const TextStyle&) = default;
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

/// Shapes from back to front; `bounds` holds the box of the rows and all pins.
struct Scene {
  int width = 0, height = 0;  ///< of the picture
  std::vector<Shape> shapes;
  Rect bounds;
  friend bool operator==(const Scene&, const Scene&) = default;
};

struct TextExtent {
  double width = 0, ascent = 0, descent = 0;
};

/// How large a text is; whoever draws knows.
class TextMeasure {
 public:
  virtual ~TextMeasure() = default;

  /// Of one line of text, in pixels: the advance, and the font's (not the text's) ascent and descent.
  [[nodiscard]] virtual TextExtent measure(const std::string& text, const TextStyle& style) = 0;
};

/// The values of some readings over the last while, for traces. One thread at a time.
class History {
 public:
  struct Entry {
    Nanoseconds at = 0;
    double value = 0;
  };

  /// Keeps each reading's values for that long (1 ns to kLatestMoment), and no more than `most` (>= 1) of them.
  explicit History(Nanoseconds length = 60 * kSecond, std::size_t most = 100'000)
      : length_(std::clamp<Nanoseconds>(length, 1, kLatestMoment)), most_(std::max<std::size_t>(most, 1)) {}

  /// `at` doesn't fall: if it does, the values before are forgotten. One beyond kLatestMoment isn't taken.
  void add(std::string_view id, Nanoseconds at, double value);

  /// All numbers of the snapshot.
  void add(const Snapshot& snapshot);

  /// Oldest first; nullptr where there are none.
  [[nodiscard]] const std::deque<Entry>* of(std::string_view id) const;

 private:
  Nanoseconds length_;
  std::size_t most_;
  std::map<std::string, std::deque<Entry>, std::less<>> entries_;
};

/// What the author of a face that can be read should know of it, warnings by line: readings that nobody has, with the
/// nearest; rows with the same label; what doesn't fit a usual picture (1280x720 to 3840x2160, 1280x800); texts of pins
/// that cover each other; colours that can't be read on the box behind them (under 4.5:1 by WCAG 2.1, 1.4.3).
[[nodiscard]] std::vector<Finding> check_face(const Face& face, const Snapshot& values, TextMeasure& measure);

/// Lays a face out on a picture of that size, filled with the values of a snapshot and, for traces, of a history.
/// A reading that isn't there shows as "–". Never throws on what the values are. O(rows * cells + points of the
/// traces).
[[nodiscard]] Scene lay_out(const Face& face, int picture_width, int picture_height, const Snapshot& values,
                            const History& history, TextMeasure& measure);

}  // namespace idlemeter
