#include "idlemeter/face/face.hpp"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <set>
#include <tuple>
#include <unordered_set>

#include "face/face_words.hpp"
#include "face/place_holders.hpp"
#include "face/toml_reader.hpp"
#include "idlemeter/base/finding.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/nearest.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/face/color.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/frames/frame_statistic.hpp"
#include "idlemeter/frames/span.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter {
namespace {

using namespace face;

constexpr double kLargestLength = 4000;  // in 1/1080 of the height: wider than any picture
constexpr double kLargestNumber = 1e15;

void read_place(TableReader& table, Face& face) {
  table.read_word("anchor", face.place.anchor, kAnchors);
  table.read("dx", face.place.dx, -kLargestLength, kLargestLength);
  table.read("dy", face.place.dy, -kLargestLength, kLargestLength);
}

/// A colour, or "device".
void read_text_color(TableReader& table, Face& face) {
  const toml::node* node = table.find("color");
  face.text.by_device = node != nullptr && node->value_or(std::string_view()) == "device";
  if (!face.text.by_device) table.read("color", face.text.color);
}

void read_text(TableReader& table, Face& face) {
  table.read("font", face.text.font);
  table.read("size", face.text.size, 4, 400);
  table.read("least", face.text.least, 1, 100);
  table.read("scale", face.text.scale, 0.25, 8);
  table.read_word("weight", face.text.bold, kWeights);
  table.read_word("units", face.text.raised_units, kUnitPlaces);
  read_text_color(table, face);
  table.read_word("edge", face.text.edge, kEdges);
}

void read_back(TableReader& table, Back& back) {
  table.read("color", back.color);
  table.read("opacity", back.opacity, 0, 1);
  table.read("radius", back.radius, 0, 200);
}

void read_span(TableReader& table, std::optional<Span>& span) {
  const toml::node* node = table.find("span");
  if (node == nullptr) return;
  const auto text = node->value<std::string>();
  const auto found = text ? span_from(*text) : std::nullopt;
  if (!found)
    return table.report(*node, "'span' is \"recording\", \"cleared\" or a time from 0.1 to 3600 like \"10 s\"");
  span = found;
}

/// colors = { graphics = "#ffb35c" }
void read_colors(TableReader& table, std::map<DeviceKind, Color>& colors) {
  for (DeviceKind kind : kDeviceKinds) {
    std::optional<Color> color;
    table.read(name_of(kind), color);
    if (color) colors[kind] = *color;
  }
}

void read_unit(TableReader& table, std::optional<Unit>& unit) {
  const toml::node* node = table.find("unit");
  if (node == nullptr) return;
  const auto text = node->value_exact<std::string>();
  if (!text) return table.report(*node, fmt::format("'unit' is a string, not {}", kind_name(node->type())));
  unit = unit_from(*text);
  if (unit) return;
  std::vector<std::string_view> symbols;
  for (Unit known : all_units()) symbols.push_back(symbol(known));
  table.report(*node, fmt::format("'{}' isn't a unit{}", *text, did_you_mean(*text, symbols)));
}

/// Two numbers in brackets; empty, with no finding, for anything else.
std::optional<std::pair<double, double>> pair_of(const toml::node* node) {
  const toml::array* array = node == nullptr ? nullptr : node->as_array();
  const bool pair = array != nullptr && array->size() == 2 && array->get(0)->is_number() && array->get(1)->is_number();
  return pair ? std::optional(std::pair(*array->get(0)->value<double>(), *array->get(1)->value<double>()))
              : std::nullopt;
}

void read_range(TableReader& table, std::optional<std::pair<double, double>>& range) {
  const toml::node* node = table.find("range");
  if (node == nullptr) return;
  const auto pair = pair_of(node);
  if (!pair) return table.report(*node, "'range' is two numbers like [0, 40]");
  const bool rises = pair->first < pair->second && pair->first >= -kLargestNumber && pair->second <= kLargestNumber;
  if (!rises) return table.report(*node, "'range' goes from a smaller to a larger number");
  range = pair;
}

void read_guides(TableReader& table, std::vector<double>& guides) {
  const toml::node* node = table.find("guides");
  if (node == nullptr) return;
  const toml::array* array = node->as_array();
  bool right = array != nullptr && array->size() <= limits::kGuides;
  for (std::size_t i = 0; right && i < array->size(); ++i) {
    const auto value = array->get(i)->value<double>();
    right = value && std::abs(*value) <= kLargestNumber;
    guides.push_back(value.value_or(0));
  }
  if (!right) table.report(*node, fmt::format("'guides' is up to {} numbers like [16.7, 33.3]", limits::kGuides));
}

/// A file's name within the face's folder.
void read_file_name(TableReader& table, std::string_view key, std::string& into) {
  table.read(key, into);
  const std::filesystem::path path(into);
  const bool leaves = path.is_absolute() || std::find(path.begin(), path.end(), "..") != path.end();
  if (leaves)
    table.report(
        *table.find(key),
        fmt::format("'{}' stays in the face's folder, '{}' does not; copy the file beside the face", key, into));
}

/// sheet = "fuel.png", grid = [4, 2] (columns and rows), states = 7
void read_sheet(TableReader& table, Cell& cell) {
  read_file_name(table, "sheet", cell.sheet.file);
  if (const toml::node* grid = table.find("grid")) {
    const auto pair = pair_of(grid).value_or(std::pair(0.0, 0.0));
    const auto whole = [](double n) { return n >= 1 && n <= 64 && n == std::floor(n); };
    if (!whole(pair.first) || !whole(pair.second)) {
      return table.report(*grid, "'grid' is how many columns and rows the sheet has, from 1 to 64 each, like [4, 2]");
    }
    cell.sheet.columns = static_cast<int>(pair.first);
    cell.sheet.rows = static_cast<int>(pair.second);
  }
  const int places = cell.sheet.columns * cell.sheet.rows;
  std::optional<int> states;
  table.read("states", states, 1, places);
  cell.sheet.states = states.value_or(places);
  if (cell.as == Show::reel && cell.sheet.file.empty()) {
    table.report(table.table(), "a reel without 'sheet'; name a PNG with its states, and their 'grid'");
  }
}

/// What a cell or a pin says of how it shows its reading.
void read_look(TableReader& table, Cell& cell) {
  cell.line = table.table().source().begin.line;
  table.read("reading", cell.reading);
  table.read("color", cell.color);
  table.read_word("as", cell.as, kShows);
  table.read("title", cell.title);
  read_unit(table, cell.unit);
  table.read("unit_text", cell.unit_text);
  table.read("digits", cell.digits, 0, 6);
  table.read_word("align", cell.align, kAligns);
  table.read("caution", cell.caution, -kLargestNumber, kLargestNumber);
  table.read("danger", cell.danger, -kLargestNumber, kLargestNumber);
  table.read("width", cell.width, 4, kLargestLength);
  table.read("height", cell.height, 4, kLargestLength);
  read_range(table, cell.range);
  table.read("grow", cell.grow);
  table.read("ends", cell.ends);
  read_guides(table, cell.guides);
  table.read("seconds", cell.seconds, 0.5, 3600);
  read_sheet(table, cell);
  read_span(table, cell.span);
}

Cell read_cell(TableReader& table) {
  Cell cell;
  read_look(table, cell);
  if (!table.table().contains("reading"))
    table.report(table.table(), "a cell without 'reading'; say which one, like reading = \"gpu.load\"");
  return cell;
}

Row read_row(TableReader& table) {
  Row row;
  row.line = table.table().source().begin.line;
  table.read("label", row.label);
  table.read("color", row.color);
  table.read_table("back", [&](TableReader& back) { read_back(back, row.back.emplace()); });
  table.read("gap", row.gap, 0, 400);
  table.read("rule", row.rule);
  table.read_tables("cells", limits::kCells, [&](TableReader& cell) { row.cells.push_back(read_cell(cell)); });
  return row;
}

void read_at(TableReader& table, Pin& pin) {
  const toml::node* at = table.find("at");
  const auto pair = pair_of(at);
  if (!pair)
    return table.report(at == nullptr ? table.table() : *at,
                        "a pin has 'at', two numbers in 1/1080 of the picture's height, like [40, 980]");
  std::tie(pin.x, pin.y) = *pair;
  const bool fits = std::abs(pin.x) <= kLargestLength && std::abs(pin.y) <= kLargestLength;
  if (!fits) table.report(*at, fmt::format("'at' is within {} of the picture's corner", kLargestLength));
}

TextPin read_text_pin(TableReader& table) {
  TextPin pin;
  std::string text, problem;
  table.read("text", text);
  table.read("size", pin.size, 4, 400);
  table.read_word("weight", pin.bold, kWeights);
  table.read("color", pin.color);
  read_span(table, pin.span);
  if (characters(text) > limits::kTextCharacters) {
    table.report(*table.find("text"),
                 fmt::format("a text of {} characters; up to {} are taken", characters(text), limits::kTextCharacters));
  } else if (auto pieces = text_pieces(text, problem)) {
    pin.text = std::move(*pieces);
  } else {
    table.report(*table.find("text"), problem);
  }
  return pin;
}

CellPin read_cell_pin(TableReader& table) {
  CellPin pin;
  table.read("size", pin.size, 4, 400);
  table.read_word("weight", pin.bold, kWeights);
  read_look(table, pin.cell);
  if (pin.cell.as == Show::text_and_trace) table.report(*table.find("as"), "a pin shows one thing; make it two pins");
  return pin;
}

/// box = [300, 80]
BoxPin read_box_pin(TableReader& table) {
  BoxPin pin;
  const toml::node* box = table.find("box");
  std::tie(pin.width, pin.height) = pair_of(box).value_or(std::pair(0.0, 0.0));
  const bool fits = pin.width > 0 && pin.height > 0 && pin.width <= kLargestLength && pin.height <= kLargestLength;
  if (!fits) table.report(*box, fmt::format("'box' is its width and height, up to {}, like [300, 80]", kLargestLength));
  read_back(table, pin.look);
  return pin;
}

/// picture = "logo.png", width = 64, height = 64
PicturePin read_picture_pin(TableReader& table) {
  PicturePin pin;
  std::optional<double> width, height;
  read_file_name(table, "picture", pin.file);
  table.read("width", width, 4, kLargestLength);
  table.read("height", height, 4, kLargestLength);
  if (!width || !height)
    table.report(table.table(), "a picture has 'width' and 'height', in 1/1080 of the picture's height");
  pin.width = width.value_or(0);
  pin.height = height.value_or(0);
  return pin;
}

constexpr const char* kPinKeys[] = {"text",    "reading", "box",   "picture", "size",      "weight",  "color",
                                    "span",    "as",      "title", "unit",    "unit_text", "digits",  "align",
                                    "caution", "danger",  "width", "height",  "range",     "grow",    "ends",
                                    "guides",  "seconds", "sheet", "grid",    "states",    "opacity", "radius"};

/// One of the four things that a pin can be, by the key that says which.
void read_what(TableReader& table, Pin& pin) {
  const auto has = [&](std::string_view key) { return table.table().contains(key); };
  const bool text = has("text"), reading = has("reading"), box = has("box"), picture = has("picture");
  if (text + reading + box + picture != 1) {
    table.report(table.table(), "a pin has one of 'text', 'reading', 'box' and 'picture'");
    for (const char* key : kPinKeys) (void)table.find(key);  // it isn't clear which of these it may have
    return;
  }
  if (text) pin.what = read_text_pin(table);
  if (reading) pin.what = read_cell_pin(table);
  if (box) pin.what = read_box_pin(table);
  if (picture) pin.what = read_picture_pin(table);
}

Pin read_pin(TableReader& table) {
  Pin pin;
  pin.line = table.table().source().begin.line;
  read_at(table, pin);
  table.read_word("layer", pin.behind, kLayers);
  read_what(table, pin);
  return pin;
}

/// Calls back with each cell of rows and pins.
template <typename Take>
void for_each_cell(const Face& face, Take take) {
  for (const Row& row : face.rows) {
    for (const Cell& cell : row.cells) take(cell);
  }
  for (const Pin& pin : face.pins) {
    if (const auto* shown = std::get_if<CellPin>(&pin.what)) take(shown->cell);
  }
}

/// What rows and pins may have together.
void check_size(TableReader& table, const Face& face) {
  std::size_t cells = 0, traces = 0;
  std::set<std::string> spans;
  for_each_cell(face, [&](const Cell& cell) {
    ++cells;
    traces += cell.as == Show::trace || cell.as == Show::text_and_trace ? 1 : 0;
  });
  for (const std::string& id : readings_of(face)) {
    if (const auto statistic = frame_statistic(id); statistic && statistic->span)
      spans.insert(to_string(*statistic->span));
  }
  const auto limit = [&](std::size_t count, const char* what, std::size_t most) {
    if (count > most)
      table.report(table.table(), fmt::format("a face with {} {}; up to {} are taken", count, what, most));
  };
  limit(cells, "cells and pins", limits::kCells);
  limit(traces, "traces", limits::kTraces);
  limit(spans.size(), "different spans", limits::kSpans);
}

Face read_face_table(TableReader& table) {
  Face face;
  table.read("name", face.name);
  table.read_table("place", [&](TableReader& place) { read_place(place, face); });
  table.read_table("text", [&](TableReader& text) { read_text(text, face); });
  table.read_table("back", [&](TableReader& back) { read_back(back, face.back); });
  table.read_word("flow", face.flow, kFlows);
  std::optional<int> lines, columns;
  table.read("lines", lines, 1, 8);
  table.read("columns", columns, 1, 8);
  face.lines = lines.value_or(face.lines);
  face.columns = columns.value_or(face.columns);
  std::optional<Span> span;
  read_span(table, span);
  face.span = span.value_or(face.span);
  table.read_word("palette", face.palette, kPalettes);
  table.read_table("colors", [&](TableReader& colors) { read_colors(colors, face.colors); });
  table.read_tables("row", limits::kRows, [&](TableReader& row) { face.rows.push_back(read_row(row)); });
  table.read_tables("pin", limits::kPins, [&](TableReader& pin) { face.pins.push_back(read_pin(pin)); });
  table.done();
  check_size(table, face);
  return face;
}

}  // namespace

std::vector<std::string> pictures_of(const Face& face) {
  std::vector<std::string> pictures;
  const auto add = [&](const std::string& file) {
    if (!file.empty() && std::find(pictures.begin(), pictures.end(), file) == pictures.end()) pictures.push_back(file);
  };
  for (const Row& row : face.rows) {
    for (const Cell& cell : row.cells) add(cell.sheet.file);
  }
  for (const Pin& pin : face.pins) {
    if (const auto* shown = std::get_if<CellPin>(&pin.what)) add(shown->cell.sheet.file);
    if (const auto* picture = std::get_if<PicturePin>(&pin.what)) add(picture->file);
  }
  return pictures;
}

FaceReading read_face(std::string_view toml) {
  FaceReading reading;
  read_toml(toml, reading.findings, [&](const toml::table& root) {
    TableReader reader(root, "a face", reading.findings);
    Face face = read_face_table(reader);
    if (face.rows.empty() && face.pins.empty() && reading.findings.empty()) {
      reading.findings.push_back(
          {Finding::Severity::error, 1, 1, "a face without rows or pins; begin one with [[row]]"});
    }
    if (reading.findings.empty()) reading.face = std::move(face);
  });
  return reading;
}

Face load_face(const std::filesystem::path& file) {
  FaceReading reading = read_face(read_toml_file(file, "face"));
  if (!reading.face) throw_findings(reading.findings, file);
  reading.face->folder = file.parent_path();
  return std::move(*reading.face);
}

std::string spanned(const std::string& id, const std::optional<Span>& of_cell, const Face& face) {
  auto statistic = frame_statistic(id);
  if (!statistic) return id;
  if (!statistic->span) statistic->span = of_cell.value_or(face.span);
  return id_of(*statistic);
}

std::vector<std::string> readings_of(const Face& face) {
  std::vector<std::string> ids;
  std::unordered_set<std::string> seen;
  const auto add = [&](const std::string& id) {
    if (!id.empty() && seen.insert(id).second) ids.push_back(id);
  };
  for (const Row& row : face.rows) {
    for (const Cell& cell : row.cells) add(spanned(cell.reading, cell.span, face));
  }
  for (const Pin& pin : face.pins) {
    if (const auto* shown = std::get_if<CellPin>(&pin.what)) add(spanned(shown->cell.reading, shown->cell.span, face));
    if (const auto* text = std::get_if<TextPin>(&pin.what)) {
      for (const TextPiece& piece : text->text) add(spanned(piece.reading, text->span, face));
    }
  }
  return ids;
}

}  // namespace idlemeter
