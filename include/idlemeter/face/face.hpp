// Idle Meter: the definition of an overlay (docs/face.md).
#pragma once

#include <cstdint>
#include <filesystem>
#include <functional>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <variant>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/face/color.hpp"
#include "idlemeter/frames/span.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter {

class Snapshot;

enum class Anchor : std::uint8_t { top_left, top, top_right, left, centre, right, bottom_left, bottom, bottom_right };
enum class Flow : std::uint8_t { stack, line, columns };
enum class Align : std::uint8_t { left, centre, right };
enum class Edge : std::uint8_t { none, shadow, outline };

/// The colours that the kinds of devices have.
enum class Palette : std::uint8_t {
  shore,   ///< soft hues, told apart by people who see few colours
  beacon,  ///< strong hues for busy ground, told apart by them too
  chalk    ///< one colour for all
};

// Lengths are in 1/1080 of the picture's height, so that a face looks the same at every resolution.

/// A picture that holds the states of something in a grid, read row by row.
struct Sheet {
  std::string file;  ///< a PNG, relative to the face's folder
  int columns = 1, rows = 1;
  int states = 1;  ///< how many places of the grid are used
};

/// The value as text.
struct TextLook {
  std::optional<double> width = {};  ///< at least
};

/// A line over time.
struct TraceLook {
  bool with_text = false;                               ///< the value before it
  std::optional<double> width = {}, height = {};        ///< 240 and 40 if empty
  std::optional<std::pair<double, double>> range = {};  ///< in the shown unit; fits the values if empty
  bool grow = false;                                    ///< the range grows, in round steps, while the values leave it
  bool ends = false;                                    ///< the ends of the range as small figures
  std::vector<double> guides = {};                      ///< values, in the shown unit, at which there is a thin line
  Nanoseconds length = 10 * kSecond;
};

/// A filled arc with the value inside.
struct RingLook {
  std::optional<double> width = {}, height = {};  ///< each other if one is empty, 64 if both are
  std::pair<double, double> range{0, 100};        ///< in the shown unit
};

/// A picture picked from a sheet by the value.
struct ReelLook {
  Sheet sheet = {};
  std::optional<double> width = {}, height = {};  ///< as a ring's
  std::pair<double, double> range{0, 100};        ///< in the shown unit
};

/// Shows one reading.
struct Cell {
  std::string reading = {};
  std::variant<TextLook, TraceLook, RingLook, ReelLook> as = TextLook{};
  Align align = Align::right;                 ///< in its column
  std::string title = {};                     ///< a word before the value; none if empty
  std::optional<Unit> unit = {};              ///< the reading's own if empty
  std::optional<std::string> unit_text = {};  ///< written instead of the unit; an empty text hides it
  std::optional<int> digits = {};             ///< after the point; the unit's usual number if empty
  std::optional<Color> color = {};            ///< of the value or the trace
  std::optional<double> caution = {},
                        danger = {};  ///< in the shown unit: from here on the value takes the warning colours
  std::optional<Span> span = {};      ///< of a statistic of frames; the face's if empty
  std::uint32_t line = 0;             ///< in the file; 0: not from one

  [[nodiscard]] const TraceLook* trace() const { return std::get_if<TraceLook>(&as); }  ///< nullptr if it isn't one
  [[nodiscard]] bool has_text() const {
    return std::holds_alternative<TextLook>(as) || (trace() != nullptr && trace()->with_text);
  }
};

/// A box behind something.
struct Back {
  Color color{16, 20, 31, 255};
  double opacity = 0.55;  ///< 0 to 1
  double radius = 8;
};

struct Row {
  std::string label;
  std::optional<Color> color;  ///< of the label; by the kind of device if empty
  std::optional<Back> back;    ///< of this row alone
  double gap = 0;              ///< more space before it
  bool rule = false;           ///< a thin line before it
  bool optional = false;       ///< left out where the machine has none of its readings
  std::vector<Cell> cells;
  std::uint32_t line = 0;
};

/// A part of a text with places for readings: either words, or a reading with its format.
struct TextPiece {
  std::string text;
  std::string reading;
  std::string format;  ///< std::format's for a number, strftime's for the time of day; empty: as it is shown elsewhere
};

/// Words with places for readings.
struct TextPin {
  std::vector<TextPiece> text;
  std::optional<double> size = {};  ///< the face's if empty
  std::optional<Color> color = {};  ///< the face's if empty
  bool bold = false;
  std::optional<Span> span = {};  ///< of statistics of frames; the face's if empty
};

/// A reading shown in any way but as a trace with text.
struct CellPin {
  Cell cell;
  std::optional<double> size = {};  ///< of its text; the face's if empty
  bool bold = false;                ///< with a size of its own
};

struct BoxPin {
  double width = 0, height = 0;
  Back look;
};

struct PicturePin {
  std::string file;  ///< a PNG, relative to the face's folder
  double width = 0, height = 0;
};

/// A thing at an exact place.
struct Pin {
  double x = 0, y = 0;  ///< of its top left corner, in 1/1080 of the picture's height
  bool behind = false;  ///< the rows
  std::variant<TextPin, CellPin, BoxPin, PicturePin> what;
  std::uint32_t line = 0;
};

/// Where the overlay is.
struct FacePlace {
  Anchor anchor = Anchor::top_left;
  double dx = 12, dy = 12;  ///< inward from the anchor's edges; right and down if centred
};

/// How its text looks, and what is measured by it.
struct FaceType {
  std::string font = "sans";
  double size = 18;
  double least = 11;  ///< pixels: at small pictures the box and its texts get larger until text has this size
  double scale = 1;   ///< makes the text, and all that is measured by it, larger or smaller
  bool bold = false;
  Color color{244, 244, 244, 255};
  bool raised_units = false;
  bool by_device = false;  ///< values have the colour of their device instead
  Edge edge = Edge::shadow;
};

struct Face {
  std::string name;
  FacePlace place;
  FaceType text;
  Back back;
  Flow flow = Flow::stack;
  int lines = 1;    ///< that a flow in a line may take
  int columns = 2;  ///< of a flow in columns
  Span span;        ///< what the statistics of frames cover, unless a cell says otherwise
  Palette palette = Palette::shore;
  std::map<DeviceKind, Color> colors;  ///< instead of the palette's
  std::vector<Row> rows;
  std::vector<Pin> pins;
  std::filesystem::path folder;  ///< that pictures are relative to
};

/// Calls back with each cell of rows and pins, in their order.
void for_each_cell(const Face& face, const std::function<void(const Cell&)>& take);

/// All readings that the face shows, each once, in their order; statistics of frames with their spans.
[[nodiscard]] std::vector<std::string> readings_of(const Face& face);

/// Returns whether a row is left out: it is optional, and no source has any of its readings.
[[nodiscard]] bool is_left_out(const Row& row, const Face& face, const Snapshot& values);

/// The id with the span that counts, if it is a statistic of frames: its own, else the cell's, else the face's.
[[nodiscard]] std::string spanned(const std::string& id, const std::optional<Span>& of_cell, const Face& face);

/// The colour that a kind of device has on this face.
[[nodiscard]] Color device_color(const Face& face, DeviceKind kind);

/// Every picture that the face shows, each once.
[[nodiscard]] std::vector<std::string> pictures_of(const Face& face);

}  // namespace idlemeter
