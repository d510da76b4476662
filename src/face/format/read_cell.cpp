#include "face/format/read_cell.hpp"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <vector>

#include "face/format/face_words.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/nearest.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter::face {
namespace {

using base::value_of;
using base::word_of;

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

void read_range(TableReader& table, auto& range) {
  const toml::node* node = table.find("range");
  if (node == nullptr) return;
  const auto pair = pair_of(node);
  if (!pair) return table.report(*node, "'range' is two numbers like [0, 40]");
  const bool rises = pair->first < pair->second && pair->first >= -kAnyNumber && pair->second <= kAnyNumber;
  if (!rises) return table.report(*node, "'range' goes from a smaller to a larger number");
  range = *pair;
}

void read_guides(TableReader& table, std::vector<double>& guides) {
  const toml::node* node = table.find("guides");
  if (node == nullptr) return;
  const toml::array* array = node->as_array();
  bool right = array != nullptr && array->size() <= limits::kGuides;
  for (std::size_t i = 0; right && i < array->size(); ++i) {
    const auto value = array->get(i)->value<double>();
    right = value && std::abs(*value) <= kAnyNumber;
    guides.push_back(value.value_or(0));
  }
  if (!right) table.report(*node, fmt::format("'guides' is up to {} numbers like [16.7, 33.3]", limits::kGuides));
}

/// sheet = "fuel.png", grid = [4, 2] (columns and rows), states = 7
Sheet read_sheet(TableReader& table) {
  Sheet sheet;
  read_file_name(table, "sheet", sheet.file);
  if (const toml::node* grid = table.find("grid")) {
    const auto pair = pair_of(grid).value_or(std::pair(0.0, 0.0));
    const auto whole = [](double n) { return n >= 1 && n <= 64 && n == std::floor(n); };
    if (whole(pair.first) && whole(pair.second)) {
      sheet.columns = static_cast<int>(pair.first);
      sheet.rows = static_cast<int>(pair.second);
    } else {
      table.report(*grid, "'grid' is how many columns and rows the sheet has, from 1 to 64 each, like [4, 2]");
    }
  }
  const int places = sheet.columns * sheet.rows;
  std::optional<int> states;
  table.read("states", states);
  if (states && *states > places) {
    table.report(*table.find("states"),
                 fmt::format("'states' of 'cells' must be from 1 to {}, not {}", places, *states));
    states.reset();
  }
  sheet.states = states.value_or(places);
  if (sheet.file.empty())
    table.report(table.table(), "a reel without 'sheet'; name a PNG with its states, and their 'grid'");
  return sheet;
}

void read_size(TableReader& table, auto& look) {
  table.read("width", look.width);
  table.read("height", look.height);
}

TextLook read_text_look(TableReader& table) {
  TextLook look;
  table.read("width", look.width);
  return look;
}

TraceLook read_trace_look(TableReader& table, bool with_text) {
  TraceLook look;
  look.with_text = with_text;
  read_size(table, look);
  read_range(table, look.range);
  table.read("grow", look.grow);
  table.read("ends", look.ends);
  read_guides(table, look.guides);
  double seconds = in_seconds(look.length);
  table.read("seconds", seconds);
  look.length = from_seconds(seconds);
  return look;
}

RingLook read_ring_look(TableReader& table) {
  RingLook look;
  read_size(table, look);
  read_range(table, look.range);
  return look;
}

ReelLook read_reel_look(TableReader& table) {
  ReelLook look;
  read_size(table, look);
  read_range(table, look.range);
  look.sheet = read_sheet(table);
  return look;
}

bool has_way(const FileKey& key, std::string_view as) {
  return key.ways.empty() || std::find(key.ways.begin(), key.ways.end(), as) != key.ways.end();
}

/// The keys of a cell that only some ways to show a reading have.
std::vector<const FileKey*> keys_of_some() {
  std::vector<const FileKey*> keys;
  for (const FileKey& key : face_keys()) {
    if (!key.ways.empty()) keys.push_back(&key);
  }
  return keys;
}

/// The way that "as" names. Empty if it names none, which is reported.
std::optional<Show> read_as(TableReader& table) {
  Show as = Show::text;
  table.read_word("as", as, kShows);
  const toml::node* node = table.find("as");
  if (node == nullptr || value_of(node->value_or(std::string_view()), kShows)) return as;
  return std::nullopt;
}

void report_keys_of_others(TableReader& table, std::string_view as) {
  for (const FileKey* key : keys_of_some()) {
    const toml::node* node = has_way(*key, as) ? nullptr : table.find(key->name);
    if (node == nullptr) continue;
    table.report(*node, fmt::format("'{}' is for {}, but this is shown as \"{}\"; remove it, or change 'as'", key->name,
                                    ways_words(*key), as));
  }
}

void read_way(TableReader& table, Cell& cell) {
  const auto as = read_as(table);
  if (!as) {
    for (const FileKey* key : keys_of_some()) (void)table.find(key->name);  // it isn't clear which of these it may have
    (void)table.find("width");
    return;
  }
  switch (*as) {
    case Show::text:
      cell.as = read_text_look(table);
      break;
    case Show::trace:
    case Show::text_and_trace:
      cell.as = read_trace_look(table, *as == Show::text_and_trace);
      break;
    case Show::ring:
      cell.as = read_ring_look(table);
      break;
    case Show::reel:
      cell.as = read_reel_look(table);
      break;
  }
  report_keys_of_others(table, word_of(*as, kShows));
}

}  // namespace

std::optional<std::pair<double, double>> pair_of(const toml::node* node) {
  const toml::array* array = node == nullptr ? nullptr : node->as_array();
  const bool pair = array != nullptr && array->size() == 2 && array->get(0)->is_number() && array->get(1)->is_number();
  return pair ? std::optional(std::pair(*array->get(0)->value<double>(), *array->get(1)->value<double>()))
              : std::nullopt;
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

void read_file_name(TableReader& table, std::string_view key, std::string& into) {
  table.read(key, into);
  const std::filesystem::path path(into);
  const bool leaves = path.is_absolute() || std::find(path.begin(), path.end(), "..") != path.end();
  if (leaves)
    table.report(
        *table.find(key),
        fmt::format("'{}' stays in the face's folder, '{}' does not; copy the file beside the face", key, into));
}

void read_look(TableReader& table, Cell& cell) {
  cell.line = table.table().source().begin.line;
  table.read("reading", cell.reading);
  table.read("color", cell.color);
  table.read("title", cell.title);
  read_unit(table, cell.unit);
  table.read("unit_text", cell.unit_text);
  table.read("digits", cell.digits);
  table.read_word("align", cell.align, kAligns);
  table.read("caution", cell.caution);
  table.read("danger", cell.danger);
  read_way(table, cell);
  read_span(table, cell.span);
}

Cell read_cell(TableReader& table) {
  Cell cell;
  read_look(table, cell);
  if (!table.table().contains("reading"))
    table.report(table.table(), "a cell without 'reading'; say which one, like reading = \"gpu.load\"");
  return cell;
}

std::vector<std::string> keys_of_others(std::string_view as) {
  std::vector<std::string> keys;
  if (!value_of(as, kShows)) return keys;
  for (const FileKey* key : keys_of_some()) {
    if (!has_way(*key, as)) keys.emplace_back(key->name);
  }
  return keys;
}

}  // namespace idlemeter::face
