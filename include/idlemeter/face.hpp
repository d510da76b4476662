// Idle Meter: the definition of an overlay, a TOML file (docs/face.md).
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "idlemeter/frame_summary.hpp"
#include "idlemeter/units.hpp"

namespace idlemeter {

struct Color {
  std::uint8_t red = 0, green = 0, blue = 0, alpha = 255;
  friend bool operator==(Color, Color) = default;
};

/// "#8fd694" or "#8fd694cc"; empty for anything else.
std::optional<Color> color_from(std::string_view text);

enum class Anchor : std::uint8_t { top_left, top, top_right, left, centre, right, bottom_left, bottom, bottom_right };
enum class Flow : std::uint8_t { stack, line };
enum class Show : std::uint8_t { text, trace, text_and_trace };

/// What the live statistics of a face cover.
struct Span {
  enum class Kind : std::uint8_t { recording, cleared, last } kind = Kind::recording;
  Nanoseconds length = 0;  ///< of `last`

  friend bool operator==(const Span&, const Span&) = default;
};

// Lengths are in 1/1080 of the picture's height, so that a face looks the same at every resolution.

/// Shows one reading.
struct Cell {
  std::string reading;
  Show as = Show::text;
  std::string title;                      ///< a word before the value; none where empty
  std::optional<Unit> unit;               ///< the reading's own where empty
  std::optional<int> digits;              ///< after the point; the unit's usual number where empty
  std::optional<Color> color;             ///< of the value or the trace
  std::optional<double> caution, danger;  ///< in the shown unit: from here on the value takes the warning colours
  double width = 240, height = 40;        ///< of a trace
  std::optional<std::pair<double, double>> range;  ///< of a trace, in the shown unit; fits the values where empty
  double seconds = 10;                             ///< that a trace reaches back
};

struct Row {
  std::string label;
  std::optional<Color> color;  ///< of the label; by the kind of device where empty
  std::vector<Cell> cells;
};

struct Face {
  std::string name;
  struct {
    Anchor anchor = Anchor::top_left;
    double dx = 12, dy = 12;  ///< inward from the anchor's edges; right and down where centred
  } place;
  struct {
    std::string font = "sans";
    double size = 18;
    Color color{244, 244, 244, 255};
    bool shadow = true;
  } text;
  struct {
    Color color{16, 20, 31, 255};
    double opacity = 0.55;  ///< 0 to 1
    double radius = 8;
  } back;
  Flow flow = Flow::stack;
  Span span;
  std::vector<Row> rows;
};

/// Something to tell the author of a face.
struct Finding {
  enum class Severity : std::uint8_t { error, warning } severity = Severity::error;
  std::uint32_t line = 0, column = 0;  ///< from 1
  std::string message;                 ///< what is wrong and what would be right
};

/// "bench.toml:4:9: error: unknown key 'anchr'; did you mean 'anchor'?"
std::string to_string(const Finding& finding, std::string_view file);

/// All that a text holds, or all that is wrong with it.
struct FaceReading {
  std::optional<Face> face;  ///< empty where any finding is an error
  std::vector<Finding> findings;
};

/// Reads a face; never throws on what the text holds. A text that isn't TOML has one finding, anything else all of
/// them.
[[nodiscard]] FaceReading read_face(std::string_view toml);

/// Reads a face file. Throws Error with every error in it, a line each, or saying that it can't be read.
[[nodiscard]] Face load_face(const std::filesystem::path& file);

}  // namespace idlemeter
