// Faces as files. What has its default isn't written, so that a file says only what its author chose.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include "face/format/face_words.hpp"
#include "face/format/toml_text.hpp"
#include "idlemeter/face/color.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/frames/span.hpp"

namespace idlemeter {
namespace {

using namespace face;

template <typename T, std::size_t N>
std::string word_of(const Word<T> (&words)[N], T value) {
  for (const Word<T>& word : words) {
    if (word.value == value) return toml_string(word.word);
  }
  return {};
}

std::string toml_of(bool value) { return value ? "true" : "false"; }
std::string toml_of(int value) { return fmt::format("{}", value); }
std::string toml_of(double value) { return fmt::format("{}", value); }
std::string toml_of(const std::string& value) { return toml_string(value); }
std::string toml_of(const std::pair<double, double>& value) {
  return fmt::format("[{}, {}]", value.first, value.second);
}
std::string toml_of(Color c) {
  return c.alpha == 255 ? fmt::format("\"#{:02x}{:02x}{:02x}\"", c.red, c.green, c.blue)
                        : fmt::format("\"#{:02x}{:02x}{:02x}{:02x}\"", c.red, c.green, c.blue, c.alpha);
}
std::string toml_of(const Span& span) { return toml_string(to_string(span)); }

/// Keys with values, in a line each or within braces.
class Pairs {
 public:
  void add(std::string_view key, std::string value) { pairs_.emplace_back(key, std::move(value)); }

  template <typename T>
  void add_other(std::string_view key, const T& value, const T& usual) {
    if (!(value == usual)) add(key, toml_of(value));
  }

  template <typename T>
  void add_given(std::string_view key, const std::optional<T>& value) {
    if (value) add(key, toml_of(*value));
  }

  template <typename T, std::size_t N>
  void add_word(std::string_view key, const Word<T> (&words)[N], T value, T usual) {
    if (value != usual) add(key, word_of(words, value));
  }

  /// Under a key, unless there are none.
  void add_table(std::string_view key, const Pairs& table) {
    if (!table.pairs_.empty()) add(key, table.in_braces());
  }

  [[nodiscard]] std::string in_lines() const {
    std::string text;
    for (const auto& [key, value] : pairs_) text += fmt::format("{} = {}\n", key, value);
    return text;
  }

  [[nodiscard]] std::string in_braces() const {
    std::string text;
    for (const auto& [key, value] : pairs_) text += fmt::format("{} {} = {}", text.empty() ? "" : ",", key, value);
    return "{" + text + " }";
  }

 private:
  std::vector<std::pair<std::string, std::string>> pairs_;
};

Pairs pairs_of(const Back& back) {
  const Back usual;
  Pairs pairs;
  pairs.add_other("color", back.color, usual.color);
  pairs.add_other("opacity", back.opacity, usual.opacity);
  pairs.add_other("radius", back.radius, usual.radius);
  return pairs;
}

void add_look(Pairs& pairs, const TextLook& as) { pairs.add_given("width", as.width); }

void add_look(Pairs& pairs, const TraceLook& as) {
  const TraceLook usual;
  pairs.add_given("width", as.width);
  pairs.add_given("height", as.height);
  pairs.add_given("range", as.range);
  pairs.add_other("grow", as.grow, usual.grow);
  pairs.add_other("ends", as.ends, usual.ends);
  if (!as.guides.empty()) pairs.add("guides", fmt::format("[{}]", fmt::join(as.guides, ", ")));
  pairs.add_other("seconds", in_seconds(as.length), in_seconds(usual.length));
}

void add_look(Pairs& pairs, const RingLook& as) {
  pairs.add_given("width", as.width);
  pairs.add_given("height", as.height);
  pairs.add_other("range", as.range, RingLook().range);
}

void add_look(Pairs& pairs, const ReelLook& as) {
  pairs.add_given("width", as.width);
  pairs.add_given("height", as.height);
  pairs.add_other("range", as.range, ReelLook().range);
  pairs.add("sheet", toml_string(as.sheet.file));
  pairs.add("grid", fmt::format("[{}, {}]", as.sheet.columns, as.sheet.rows));
  pairs.add("states", toml_of(as.sheet.states));
}

void add_cell(Pairs& pairs, const Cell& cell) {
  const Cell usual;
  pairs.add_other("reading", cell.reading, usual.reading);
  pairs.add_word("as", kShows, way_of(cell), way_of(usual));
  pairs.add_other("title", cell.title, usual.title);
  if (cell.unit) pairs.add("unit", toml_string(symbol(*cell.unit)));
  pairs.add_given("unit_text", cell.unit_text);
  pairs.add_given("digits", cell.digits);
  pairs.add_word("align", kAligns, cell.align, usual.align);
  pairs.add_given("color", cell.color);
  pairs.add_given("caution", cell.caution);
  pairs.add_given("danger", cell.danger);
  std::visit([&](const auto& as) { add_look(pairs, as); }, cell.as);
  pairs.add_given("span", cell.span);
}

std::string toml_of(const Row& row) {
  Pairs pairs;
  pairs.add_other("label", row.label, std::string());
  pairs.add_given("color", row.color);
  if (row.back) pairs.add("back", pairs_of(*row.back).in_braces());
  pairs.add_other("gap", row.gap, 0.0);
  pairs.add_other("rule", row.rule, false);
  pairs.add_other("optional", row.optional, false);
  std::string cells;
  for (const Cell& cell : row.cells) {
    Pairs one;
    add_cell(one, cell);
    cells += fmt::format("  {},\n", one.in_braces());
  }
  pairs.add("cells", cells.empty() ? "[]" : "[\n" + cells + "]");
  return "\n[[row]]\n" + pairs.in_lines();
}

/// Braces are written twice.
std::string with_braces(const std::string& text) {
  std::string twice;
  for (char c : text) twice += c == '{' || c == '}' ? std::string(2, c) : std::string(1, c);
  return twice;
}

std::string text_of(const TextPin& pin) {
  std::string text;
  for (const TextPiece& piece : pin.text) {
    text += piece.reading.empty()
                ? with_braces(piece.text)
                : fmt::format("{{{}{}{}}}", piece.reading, piece.format.empty() ? "" : ":", piece.format);
  }
  return text;
}

void add_what(Pairs& pairs, const TextPin& pin) {
  pairs.add("text", toml_string(text_of(pin)));
  pairs.add_given("size", pin.size);
  pairs.add_word("weight", kWeights, pin.bold, false);
  pairs.add_given("color", pin.color);
  pairs.add_given("span", pin.span);
}

void add_what(Pairs& pairs, const CellPin& pin) {
  add_cell(pairs, pin.cell);
  pairs.add_given("size", pin.size);
  pairs.add_word("weight", kWeights, pin.bold, false);
}

void add_what(Pairs& pairs, const BoxPin& pin) {
  const Back usual;
  pairs.add("box", toml_of(std::pair(pin.width, pin.height)));
  pairs.add_other("color", pin.look.color, usual.color);
  pairs.add_other("opacity", pin.look.opacity, usual.opacity);
  pairs.add_other("radius", pin.look.radius, usual.radius);
}

void add_what(Pairs& pairs, const PicturePin& pin) {
  pairs.add("picture", toml_string(pin.file));
  pairs.add("width", toml_of(pin.width));
  pairs.add("height", toml_of(pin.height));
}

std::string toml_of(const Pin& pin) {
  Pairs pairs;
  pairs.add("at", toml_of(std::pair(pin.x, pin.y)));
  std::visit([&](const auto& what) { add_what(pairs, what); }, pin.what);
  pairs.add_word("layer", kLayers, pin.behind, false);
  return "\n[[pin]]\n" + pairs.in_lines();
}

}  // namespace

namespace {

Pairs pairs_of_place(const Face& face, const Face& usual) {
  Pairs place;
  place.add_word("anchor", kAnchors, face.place.anchor, usual.place.anchor);
  place.add_other("dx", face.place.dx, usual.place.dx);
  place.add_other("dy", face.place.dy, usual.place.dy);
  return place;
}

Pairs pairs_of_text(const Face& face, const Face& usual) {
  Pairs text;
  text.add_other("font", face.text.font, usual.text.font);
  text.add_other("size", face.text.size, usual.text.size);
  text.add_other("least", face.text.least, usual.text.least);
  text.add_other("scale", face.text.scale, usual.text.scale);
  text.add_word("weight", kWeights, face.text.bold, usual.text.bold);
  text.add_word("units", kUnitPlaces, face.text.raised_units, usual.text.raised_units);
  if (face.text.by_device) text.add("color", "\"device\"");
  if (!face.text.by_device) text.add_other("color", face.text.color, usual.text.color);
  text.add_word("edge", kEdges, face.text.edge, usual.text.edge);
  return text;
}

}  // namespace

std::string to_toml(const Face& face) {
  const Face usual;
  Pairs all;
  all.add_other("name", face.name, usual.name);
  all.add_table("place", pairs_of_place(face, usual));
  all.add_table("text", pairs_of_text(face, usual));
  all.add_table("back", pairs_of(face.back));
  all.add_word("flow", kFlows, face.flow, usual.flow);
  all.add_other("lines", face.lines, usual.lines);
  all.add_other("columns", face.columns, usual.columns);
  all.add_other("span", face.span, usual.span);
  all.add_word("palette", kPalettes, face.palette, usual.palette);
  Pairs colors;
  for (const auto& [kind, color] : face.colors) colors.add(name_of(kind), toml_of(color));
  all.add_table("colors", colors);
  std::string toml = all.in_lines();
  for (const Row& row : face.rows) toml += toml_of(row);
  for (const Pin& pin : face.pins) toml += toml_of(pin);
  return toml.starts_with('\n') ? toml.substr(1) : toml;
}

}  // namespace idlemeter
