#include "idlemeter/face.hpp"

#include <algorithm>
#include <charconv>

#include "face/toml_reader.hpp"

namespace idlemeter {
namespace {

constexpr Word<Anchor> kAnchors[] = {{"top-left", Anchor::top_left},
                                     {"top", Anchor::top},
                                     {"top-right", Anchor::top_right},
                                     {"left", Anchor::left},
                                     {"centre", Anchor::centre},
                                     {"right", Anchor::right},
                                     {"bottom-left", Anchor::bottom_left},
                                     {"bottom", Anchor::bottom},
                                     {"bottom-right", Anchor::bottom_right}};
constexpr Word<Flow> kFlows[] = {{"stack", Flow::stack}, {"line", Flow::line}};
constexpr Word<Show> kShows[] = {{"text", Show::text}, {"trace", Show::trace}, {"text+trace", Show::text_and_trace}};

constexpr double kLargestLength = 4000;  // in 1/1080 of the height: wider than any picture
constexpr double kLargestNumber = 1e15;

void read_place(TableReader& table, Face& face) {
  table.read_word("anchor", face.place.anchor, kAnchors);
  table.read("dx", face.place.dx, -kLargestLength, kLargestLength);
  table.read("dy", face.place.dy, -kLargestLength, kLargestLength);
}

void read_text(TableReader& table, Face& face) {
  table.read("font", face.text.font);
  table.read("size", face.text.size, 4, 400);
  table.read("color", face.text.color);
  table.read("shadow", face.text.shadow);
}

void read_back(TableReader& table, Face& face) {
  table.read("color", face.back.color);
  table.read("opacity", face.back.opacity, 0, 1);
  table.read("radius", face.back.radius, 0, 200);
}

/// "recording", "cleared", "10 s".
std::optional<Span> span_from(const std::string& text) {
  if (text == "recording") return Span{Span::Kind::recording, 0};
  if (text == "cleared") return Span{Span::Kind::cleared, 0};
  double seconds = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), seconds);
  const std::string_view unit(end, text.data() + text.size());
  if (error != std::errc{} || (unit != " s" && unit != "s") || !(seconds >= 0.1 && seconds <= 3600))
    return std::nullopt;
  return Span{Span::Kind::last, static_cast<Nanoseconds>(seconds * kSecond)};
}

void read_span(TableReader& table, Span& span) {
  const toml::node* node = table.find("span");
  if (node == nullptr) return;
  const auto text = node->value<std::string>();
  const auto found = text ? span_from(*text) : std::nullopt;
  if (!found) return table.tell(*node, "'span' is \"recording\", \"cleared\" or a time from 0.1 to 3600 like \"10 s\"");
  span = *found;
}

void read_unit(TableReader& table, std::optional<Unit>& unit) {
  const toml::node* node = table.find("unit");
  if (node == nullptr) return;
  const auto text = node->value_exact<std::string>();
  if (!text) return table.tell(*node, fmt::format("'unit' is a string, not {}", kind_name(node->type())));
  unit = unit_from(*text);
  if (unit) return;
  std::vector<std::string_view> symbols;
  for (Unit known : all_units()) symbols.push_back(symbol(known));
  table.tell(*node, fmt::format("'{}' is no unit{}", *text, did_you_mean(*text, symbols)));
}

void read_range(TableReader& table, std::optional<std::pair<double, double>>& range) {
  const toml::node* node = table.find("range");
  if (node == nullptr) return;
  const toml::array* array = node->as_array();
  const bool pair = array != nullptr && array->size() == 2 && array->get(0)->is_number() && array->get(1)->is_number();
  if (!pair) return table.tell(*node, "'range' is two numbers like [0, 40]");
  const double low = *array->get(0)->value<double>(), high = *array->get(1)->value<double>();
  if (!(low < high && low >= -kLargestNumber && high <= kLargestNumber))
    return table.tell(*node, "'range' goes from a smaller to a larger number");
  range = {low, high};
}

Cell read_cell(TableReader& table) {
  Cell cell;
  table.read("reading", cell.reading);
  table.read_word("as", cell.as, kShows);
  table.read("title", cell.title);
  read_unit(table, cell.unit);
  table.read("digits", cell.digits, 0, 6);
  table.read("color", cell.color);
  table.read("caution", cell.caution, -kLargestNumber, kLargestNumber);
  table.read("danger", cell.danger, -kLargestNumber, kLargestNumber);
  table.read("width", cell.width, 4, kLargestLength);
  table.read("height", cell.height, 4, kLargestLength);
  read_range(table, cell.range);
  table.read("seconds", cell.seconds, 0.5, 3600);
  if (!table.table().contains("reading"))
    table.tell(table.table(), "a cell without 'reading'; say which one, like reading = \"gpu.load\"");
  return cell;
}

Row read_row(TableReader& table) {
  Row row;
  table.read("label", row.label);
  table.read("color", row.color);
  table.read_tables("cells", [&](TableReader& cell) { row.cells.push_back(read_cell(cell)); });
  return row;
}

Face read_face_table(TableReader& table) {
  Face face;
  table.read("name", face.name);
  table.read_table("place", [&](TableReader& place) { read_place(place, face); });
  table.read_table("text", [&](TableReader& text) { read_text(text, face); });
  table.read_table("back", [&](TableReader& back) { read_back(back, face); });
  table.read_word("flow", face.flow, kFlows);
  read_span(table, face.span);
  table.read_tables("row", [&](TableReader& row) { face.rows.push_back(read_row(row)); });
  table.done();
  return face;
}

}  // namespace

std::optional<Color> color_from(std::string_view text) {
  if ((text.size() != 7 && text.size() != 9) || text[0] != '#') return std::nullopt;
  std::uint32_t value = 0;
  const auto [end, error] = std::from_chars(text.data() + 1, text.data() + text.size(), value, 16);
  if (error != std::errc{} || end != text.data() + text.size()) return std::nullopt;
  if (text.size() == 7) value = value << 8 | 0xff;
  return Color{static_cast<std::uint8_t>(value >> 24), static_cast<std::uint8_t>(value >> 16),
               static_cast<std::uint8_t>(value >> 8), static_cast<std::uint8_t>(value)};
}

std::string to_string(const Finding& finding, std::string_view file) {
  return fmt::format("{}:{}:{}: {}: {}", file, finding.line, finding.column,
                     finding.severity == Finding::Severity::error ? "error" : "warning", finding.message);
}

FaceReading read_face(std::string_view toml) {
  FaceReading reading;
  try {
    const toml::table table = toml::parse(toml);
    TableReader reader(table, "a face", reading.findings);
    Face face = read_face_table(reader);
    if (face.rows.empty() && reading.findings.empty()) {
      reading.findings.push_back({Finding::Severity::error, 1, 1, "a face without rows; begin one with [[row]]"});
    }
    if (reading.findings.empty()) reading.face = std::move(face);
  } catch (const toml::parse_error& error) {
    tell(reading.findings, error.source(), std::string(error.description()));
  }
  sort_findings(reading.findings);
  return reading;
}

Face load_face(const std::filesystem::path& file) {
  FaceReading reading = read_face(read_toml_file(file, "face"));
  if (!reading.face) throw_findings(reading.findings, file);
  return std::move(*reading.face);
}

}  // namespace idlemeter
