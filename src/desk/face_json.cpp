#include "desk/face_json.hpp"

#include <fmt/format.h>

#include <functional>
#include <sstream>
#include <utility>

#include "face/format/toml_reader.hpp"
#include "idlemeter/face/file_keys.hpp"
#include "idlemeter/face/scene.hpp"

namespace idlemeter::desk {
namespace {

Json rect_json(const Rect& rect) {
  return {{"x", rect.x}, {"y", rect.y}, {"width", rect.width}, {"height", rect.height}};
}

std::string reading_of(const Pin& pin) {
  const auto* shown = std::get_if<CellPin>(&pin.what);
  return shown == nullptr ? "" : shown->cell.reading;
}

constexpr const char* kPinKinds[] = {"text", "reading", "box", "picture"};  // in the order of the variant

/// What people call a reading; its id where this machine doesn't have it.
std::string title_of(const std::string& id, const Snapshot& values) {
  const ReadingInfo* const info = values.find(id).info;
  return info == nullptr ? id : info->title;
}

Json cells_of(const Row& row, const std::string& part, const Snapshot& values) {
  Json cells = Json::array();
  for (std::size_t i = 0; i < row.cells.size(); ++i)
    cells.push_back({{"part", fmt::format("{}/{}", part, i + 1)},
                     {"reading", row.cells[i].reading},
                     {"title", title_of(row.cells[i].reading, values)}});
  return cells;
}

/// Lines with the parts that begin there. Cells on one line are their row's.
std::vector<std::pair<std::uint32_t, std::string>> places_of(const Face& face) {
  std::vector<std::pair<std::uint32_t, std::string>> places;
  for (std::size_t i = 0; i < face.rows.size(); ++i) {
    const std::string row = fmt::format("row:{}", i + 1);
    places.emplace_back(face.rows[i].line, row);
    const auto& cells = face.rows[i].cells;
    for (std::size_t j = 0; j < cells.size(); ++j) {
      const bool is_alone = (j == 0 || cells[j - 1].line != cells[j].line) &&
                            (j + 1 == cells.size() || cells[j + 1].line != cells[j].line);
      if (is_alone) places.emplace_back(cells[j].line, fmt::format("{}/{}", row, j + 1));
    }
  }
  for (std::size_t i = 0; i < face.pins.size(); ++i)
    places.emplace_back(face.pins[i].line, fmt::format("pin:{}", i + 1));
  return places;
}

std::string part_at(std::uint32_t line, const Face& face) {
  std::uint32_t nearest = 0;
  std::string part = "face";
  for (const auto& [begins, name] : places_of(face)) {
    if (begins < nearest || begins > line || begins == 0) continue;
    nearest = begins;
    part = name;
  }
  return part;
}

constexpr const char* kTypes[] = {"text",  "reading", "file",    "flag",  "number", "whole",
                                  "color", "choice",  "choices", "unit",  "span",   "duration",
                                  "pair",  "numbers", "texts",   "chord", "named"};

Json key_json(const FileKey& key) {
  Json json = {{"table", key.table}, {"name", key.name},   {"type", kTypes[static_cast<std::size_t>(key.type)]},
               {"words", key.words}, {"usual", key.usual}, {"choices", key.choices},
               {"ways", key.ways}};
  if (key.least > -kAnyNumber) json["least"] = key.least;
  if (key.most < kAnyNumber) json["most"] = key.most;
  return json;
}

}  // namespace

std::string version_of(const std::string& text) { return fmt::format("{:016x}", std::hash<std::string>()(text)); }

Json keys_in(const std::string& toml) {
  face::Findings findings;
  const auto table = face::parse_toml(toml, findings);
  if (!table) return Json::object();
  std::ostringstream text;
  text << toml::json_formatter(*table);
  const Json keys = Json::parse(text.str(), nullptr, false);
  return keys.is_object() ? keys : Json::object();
}

Json parts_of(const Face& face, const Snapshot& values) {
  Json rows = Json::array(), pins = Json::array();
  for (std::size_t i = 0; i < face.rows.size(); ++i) {
    const std::string part = fmt::format("row:{}", i + 1);
    rows.push_back({{"part", part}, {"label", face.rows[i].label}, {"cells", cells_of(face.rows[i], part, values)}});
  }
  for (std::size_t i = 0; i < face.pins.size(); ++i) {
    const Pin& pin = face.pins[i];
    pins.push_back({{"part", fmt::format("pin:{}", i + 1)},
                    {"kind", kPinKinds[pin.what.index()]},
                    {"reading", reading_of(pin)},
                    {"title", title_of(reading_of(pin), values)},
                    {"x", pin.x},
                    {"y", pin.y}});
  }
  return {{"rows", rows}, {"pins", pins}};
}

Json to_json(const std::vector<Finding>& findings, const Face* face) {
  Json json = Json::array();
  for (const Finding& finding : findings) {
    Json one = {{"severity", finding.severity == Finding::Severity::error ? "error" : "warning"},
                {"line", finding.line},
                {"message", finding.message},
                {"part", face == nullptr ? "face" : part_at(finding.line, *face)}};
    // A key of the face's tables is the face's, also if a row begins in the finding's line.
    if (finding.fix && finding.fix->key.find('.') != std::string::npos) one["part"] = "face";
    if (finding.fix)
      one["fix"] = {{"words", finding.fix->words},
                    {"key", finding.fix->key},
                    {"value", finding.fix->value ? Json(*finding.fix->value) : Json()}};
    json.push_back(std::move(one));
  }
  return json;
}

Json scene_json(const FacePreview& preview) {
  Json areas = Json::array();
  for (const PartArea& area : preview.scene.parts)
    areas.push_back({{"part", to_string(area.part)}, {"area", rect_json(area.rect)}});
  return {{"areas", areas},
          {"bounds", rect_json(preview.scene.bounds)},
          {"unknown", preview.unknown},
          {"problems", preview.problems},
          {"fits", preview.fits}};
}

Json keys_json(std::span<const FileKey> keys) {
  Json all = Json::array();
  for (const FileKey& key : keys) all.push_back(key_json(key));
  return all;
}

Json key_table_json() { return {{"keys", keys_json(face_keys())}}; }

}  // namespace idlemeter::desk
