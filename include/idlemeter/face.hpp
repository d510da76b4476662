// Idle Meter: the definition of an overlay, a TOML file (docs/face.md).
#pragma once

#include <cstdint>
#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "idlemeter/frame_statistic.hpp"
#include "idlemeter/reading.hpp"
#include "idlemeter/units.hpp"

namespace idlemeter {

struct Color {
  std::uint8_t red = 0, green = 0, blue = 0, alpha = 255;
  friend bool operator==(Color, Color) = default;
};

/// "#8fd694" or "#8fd694cc"; empty for anything else.
std::optional<Color> color_from(std::string_view text);

enum class Anchor : std::uint8_t { top_left, top, top_right, left, centre, right, bottom_left, bottom, bottom_right };
enum class Flow : std::uint8_t { stack, line, columns };
enum class Show : std::uint8_t { text, trace, text_and_trace, ring, reel };
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

/// Shows one reading.
struct Cell {
  std::string reading = {};
  Show as = Show::text;
  Align align = Align::right;                 ///< of the value in its column
  std::string title = {};                     ///< a word before the value; none where empty
  std::optional<Unit> unit = {};              ///< the reading's own where empty
  std::optional<std::string> unit_text = {};  ///< written in place of the unit; an empty text hides it
  std::optional<int> digits = {};             ///< after the point; the unit's usual number where empty
  std::optional<Color> color = {};            ///< of the value or the trace
  std::optional<double> caution = {},
                        danger = {};  ///< in the shown unit: from here on the value takes the warning colours
  std::optional<double> width = {}, height = {};  ///< of a trace (240, 40), a ring or a reel; least width of a text
  std::optional<std::pair<double, double>> range =
      {};                         ///< in the shown unit; a trace fits its values, others take 0 to 100
  double seconds = 10;            ///< that a trace reaches back
  Sheet sheet = {};               ///< of a reel
  std::optional<Span> span = {};  ///< of a statistic of frames; the face's where empty
  std::uint32_t line = 0;         ///< in the file; 0: not from one
};

/// A box behind something.
struct Back {
  Color color{16, 20, 31, 255};
  double opacity = 0.55;  ///< 0 to 1
  double radius = 8;
};

struct Row {
  std::string label;
  std::optional<Color> color;  ///< of the label; by the kind of device where empty
  std::optional<Back> back;    ///< of this row alone
  double gap = 0;              ///< more space before it
  bool rule = false;           ///< a thin line before it
  std::vector<Cell> cells;
  std::uint32_t line = 0;
};

/// A part of a text with places for readings: either words, or a reading with its format.
struct TextPiece {
  std::string text;
  std::string reading;
  std::string format;  ///< std::format's for a number, strftime's for the time of day; empty: as it is shown elsewhere
};

/// A thing at an exact place: a text, a reading shown in any way but as text and trace, a box, or a picture.
struct Pin {
  double x = 0, y = 0;  ///< of its top left corner, in 1/1080 of the picture's height
  enum class What : std::uint8_t { text, cell, box, picture } what = What::text;
  bool behind = false;  ///< behind the rows
  std::vector<TextPiece> text;
  std::optional<double> size;  ///< of text; the face's where empty
  std::optional<Color> color;  ///< of text and box
  bool bold = false;
  Cell cell;
  Back box;                      ///< opacity and corner radius of a box
  std::string picture;           ///< a PNG, relative to the face's folder
  double width = 0, height = 0;  ///< of a box or a picture
  std::uint32_t line = 0;
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
    double scale = 1;  ///< makes the text, and all that is measured by it, larger or smaller
    bool bold = false;
    Color color{244, 244, 244, 255};
    bool raised_units = false;
    bool by_device = false;  ///< values have the colour of their device instead
    Edge edge = Edge::shadow;
  } text;
  Back back;
  Flow flow = Flow::stack;
  int lines = 1;    ///< that a flow in a line may take
  int columns = 2;  ///< of a flow in columns
  Span span;        ///< what the statistics of frames cover, where a cell says nothing else
  Palette palette = Palette::shore;
  std::map<DeviceKind, Color> colors;  ///< in place of the palette's
  std::vector<Row> rows;
  std::vector<Pin> pins;
  std::filesystem::path folder;  ///< that pictures are relative to
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

/// All readings that the face shows, each once, in their order; statistics of frames with their spans.
std::vector<std::string> readings_of(const Face& face);

/// The id with the span that counts, where it is a statistic of frames: its own, else the cell's, else the face's.
std::string spanned(const std::string& id, const std::optional<Span>& of_cell, const Face& face);

/// The colour that a kind of device has on this face.
Color device_color(const Face& face, DeviceKind kind);

/// Reads a face; never throws on what the text holds. A text that isn't TOML has one finding, anything else all of
/// them.
[[nodiscard]] FaceReading read_face(std::string_view toml);

/// The face as a file; read_face() makes the same face of it, but for its folder and lines. What has its default isn't
/// written.
[[nodiscard]] std::string to_toml(const Face& face);

/// Reads a face file. Throws Error with every error in it, a line each, or saying that it can't be read.
[[nodiscard]] Face load_face(const std::filesystem::path& file);

}  // namespace idlemeter
