#include <fmt/format.h>

#include <set>

#include "face/format/face_words.hpp"
#include "face/format/read_cell.hpp"
#include "face/format/read_pin.hpp"
#include "face/format/toml_reader.hpp"
#include "idlemeter/base/finding.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/frames/frame_statistic.hpp"
#include "idlemeter/frames/span.hpp"
#include "idlemeter/readings/reading.hpp"

namespace idlemeter {
namespace {

using namespace face;

void read_place(TableReader& table, Face& face) {
  table.read_word("anchor", face.place.anchor, kAnchors);
  table.read("dx", face.place.dx);
  table.read("dy", face.place.dy);
}

/// A colour, or "device".
void read_text_color(TableReader& table, Face& face) {
  const toml::node* node = table.find("color");
  face.text.by_device = node != nullptr && node->value_or(std::string_view()) == "device";
  if (!face.text.by_device) table.read("color", face.text.color);
}

void read_text(TableReader& table, Face& face) {
  table.read("font", face.text.font);
  table.read("size", face.text.size);
  table.read("least", face.text.least);
  table.read("scale", face.text.scale);
  table.read_word("weight", face.text.bold, kWeights);
  table.read_word("units", face.text.raised_units, kUnitPlaces);
  read_text_color(table, face);
  table.read_word("edge", face.text.edge, kEdges);
}

/// colors = { graphics = "#ffb35c" }
void read_colors(TableReader& table, std::map<DeviceKind, Color>& colors) {
  for (DeviceKind kind : kDeviceKinds) {
    std::optional<Color> color;
    table.read(name_of(kind), color);
    if (color) colors[kind] = *color;
  }
}

Row read_row(TableReader& table) {
  Row row;
  row.line = table.table().source().begin.line;
  table.read("label", row.label);
  table.read("color", row.color);
  table.read_table("back", [&](TableReader& back) { read_back(back, row.back.emplace()); });
  table.read("gap", row.gap);
  table.read("rule", row.rule);
  table.read("optional", row.optional);
  table.read_tables(
      "cells", limits::kCells, [&](TableReader& cell) { row.cells.push_back(read_cell(cell)); }, "cell");
  return row;
}

std::size_t spans_in(const Face& face) {
  std::set<std::string> spans;
  for (const std::string& id : readings_of(face)) {
    if (const auto statistic = frame_statistic(id); statistic && statistic->span)
      spans.insert(to_string(*statistic->span));
  }
  return spans.size();
}

/// What rows and pins may have together.
void check_size(TableReader& table, const Face& face) {
  std::size_t cells = 0, traces = 0;
  for_each_cell(face, [&](const Cell& cell) {
    ++cells;
    traces += cell.trace() != nullptr ? 1 : 0;
  });
  const auto limit = [&](std::size_t count, const char* what, std::size_t most) {
    if (count > most)
      table.report(table.table(), fmt::format("a face with {} {}; up to {} are taken", count, what, most));
  };
  limit(cells, "cells and pins", limits::kCells);
  limit(traces, "traces", limits::kTraces);
  limit(spans_in(face), "different spans", limits::kSpans);
}

Face read_face_table(TableReader& table) {
  Face face;
  table.read("name", face.name);
  table.read_table("place", [&](TableReader& place) { read_place(place, face); });
  table.read_table("text", [&](TableReader& text) { read_text(text, face); });
  table.read_table("back", [&](TableReader& back) { read_back(back, face.back); });
  table.read_word("flow", face.flow, kFlows);
  std::optional<int> lines, columns;
  table.read("lines", lines);
  table.read("columns", columns);
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

FaceParse parse_face(std::string_view toml) {
  FaceParse reading;
  read_toml(toml, reading.findings, [&](const toml::table& root) {
    TableReader reader(root, "a face", reading.findings, face_keys());
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
  FaceParse reading = parse_face(read_toml_file(file, "face"));
  if (!reading.face) throw_findings(reading.findings, file);
  reading.face->folder = file.parent_path();
  return std::move(*reading.face);
}

}  // namespace idlemeter
