#include "face/cell_box.hpp"

#include <algorithm>
#include <cmath>

namespace idlemeter {
namespace {

constexpr double kDesignHeight = 1080;  // lengths of a face are in 1/1080 of the picture's height
constexpr Color kCaution{255, 209, 74, 255}, kDanger{255, 107, 107, 255};
constexpr Color kRecording{255, 82, 82, 255}, kHeld{190, 198, 210, 255};
constexpr double kProvisional = 0.5;  // opacity of what rests on too few frames
constexpr const char* kMissing = "–";

// In units of the text size.
constexpr double kUnitSize = 0.68, kUnitGap = 0.16, kTitleGap = 0.3, kUnitRise = 0.24;
constexpr double kMarkSize = 0.26, kMarkPlace = 0.3, kMarkHeight = 0.36;

// In units of the face, where a cell says nothing else.
constexpr double kTraceWidth = 240, kTraceHeight = 40, kFigureSize = 64;

/// The digits before the point that a value in this unit keeps room for, so that a growing one moves nothing.
std::size_t whole_digits(Unit unit) {
  switch (unit) {
    case Unit::volt:
    case Unit::gigahertz:
      return 1;
    case Unit::millisecond:
    case Unit::gibibyte:
    case Unit::gigabyte:
      return 2;
    case Unit::megahertz:
    case Unit::rpm:
    case Unit::millivolt:
    case Unit::transfers_per_second:
      return 4;
    case Unit::mebibyte:
    case Unit::megabyte:
      return 5;
    default:
      return 3;
  }
}

Unit shown_unit(const Cell& cell, const ReadingInfo& info) {
  return cell.unit && convert(0, info.unit, *cell.unit) ? *cell.unit : info.unit;
}

int shown_digits(const Cell& cell, const ReadingInfo& info, Unit unit) {
  return cell.digits.value_or(unit == info.unit && info.digits >= 0 ? info.digits : usual_digits(unit));
}

/// What a statistic covers is seen on it: the recording by its mark, the last while by its length.
void write_span(const Look& look, CellBox& box) {
  box.title = box.cell->title;
  box.id = box.cell->reading;
  auto statistic = frame_statistic(box.id);
  if (!statistic) return;
  if (!statistic->span) statistic->span = box.cell->span.value_or(look.face.span);
  box.id = id_of(*statistic);
  box.recorded = statistic->span->kind == Span::Kind::recording;
  if (statistic->span->kind == Span::Kind::last && box.title.empty()) box.title = to_string(*statistic->span);
}

/// Fills in what is written, and returns the widest text that it is likely to become.
std::string write_value(const Look& look, CellBox& box) {
  const Snapshot::Entry entry = look.values.find(box.id);
  box.info = entry.info;
  box.provisional = entry.provisional;
  box.value = kMissing;
  if (entry.info == nullptr) return kMissing;
  if (const auto* text = std::get_if<std::string>(entry.value)) return box.value = *text;
  const Unit unit = shown_unit(*box.cell, *entry.info);
  const int digits = shown_digits(*box.cell, *entry.info, unit);
  box.unit = box.cell->unit_text.value_or(std::string(short_symbol(unit)));
  if (const auto now = number(*entry.value)) {
    box.shown = convert(*now, entry.info->unit, unit);
    box.value = format_number(*box.shown, digits);
  }
  std::string widest(whole_digits(unit), '8');
  if (digits > 0) widest += "." + std::string(static_cast<std::size_t>(digits), '8');
  return widest;
}

Color faint(Color color, double share) {
  color.alpha = static_cast<std::uint8_t>(std::lround(color.alpha * share));
  return color;
}

void add_text(const Look& look, std::vector<Shape>& shapes, const std::string& text, const TextStyle& style,
              Color color, double x, double baseline) {
  shapes.emplace_back(TextShape{text, style, color, std::round(x), std::round(baseline), look.face.text.edge});
}

void draw_text(const Look& look, const CellBox& box, double x, double baseline, std::vector<Shape>& shapes) {
  const Color full = value_color(look, box), quiet = faint(full, 0.72);
  const Color color = box.provisional ? faint(full, kProvisional) : full;
  if (!box.title.empty()) add_text(look, shapes, box.title, look.unit_style, quiet, x, baseline);
  const double right = x + box.title_width + box.value_width;
  add_text(look, shapes, box.value, look.value_style, color, right - look.width(box.value, look.value_style), baseline);
  if (box.unit.empty()) return;
  const double up = look.face.text.raised_units ? look.em(kUnitRise) : 0;
  add_text(look, shapes, box.unit, look.unit_style, quiet, right + look.em(kUnitGap), baseline - up);
}

/// From 0, or the smallest value where that is below, to a little above the largest.
template <typename Iterator, typename Shown>
std::pair<double, double> fitting_range(Iterator first, Iterator last, Shown shown) {
  double low = 0, high = 0;
  for (; first != last; ++first) {
    low = std::min(low, shown(first->value));
    high = std::max(high, shown(first->value));
  }
  return {low, high > low ? high + 0.05 * (high - low) : low + 1};
}

void draw_trace(const Look& look, const CellBox& box, const Rect& rect, Color color, std::vector<Shape>& shapes) {
  shapes.emplace_back(BoxShape{rect, Color{255, 255, 255, 18}, 2 * look.unit});
  TraceShape trace{rect, trace_points(look, box, rect), color, std::max(1.0, 1.6 * look.unit)};
  if (!trace.points.empty()) shapes.emplace_back(std::move(trace));
  if (box.cell->as != Show::trace || box.title.empty()) return;
  add_text(look, shapes, box.title, look.unit_style, faint(look.face.text.color, 0.72), rect.x + look.em(kTitleGap),
           rect.y + look.measure.measure("0", look.unit_style).ascent + look.em(0.1));
}

/// An arc with the value inside.
void draw_ring(const Look& look, const CellBox& box, const Rect& rect, Color accent, std::vector<Shape>& shapes) {
  const Color warning = value_color(look, box);
  const bool warns = warning == kCaution || warning == kDanger;
  shapes.emplace_back(RingShape{rect, std::max(2.0, rect.width * 0.11), share_of_range(box), warns ? warning : accent,
                                Color{255, 255, 255, 46}});
  const TextStyle number_style = look.with_size(std::max(6.0, std::round(rect.width * 0.30)), false);
  const TextStyle unit_style = look.with_size(std::max(5.0, std::round(rect.width * 0.135)), false);
  const double middle = rect.x + rect.width / 2, ascent = look.measure.measure("0", number_style).ascent;
  const double baseline = std::round(rect.y + rect.height / 2 + ascent * 0.34);
  add_text(look, shapes, box.value, number_style, warning, middle - look.width(box.value, number_style) / 2, baseline);
  const std::string& below = box.title.empty() ? box.unit : box.title;
  if (!below.empty())
    add_text(look, shapes, below, unit_style, faint(warning, 0.8), middle - look.width(below, unit_style) / 2,
             rect.y + rect.height * 0.88);
}

/// The place of the sheet that belongs to the value.
void draw_reel(const Look& look, const CellBox& box, const Rect& rect, std::vector<Shape>& shapes) {
  const Sheet& sheet = box.cell->sheet;
  const int state = std::min(sheet.states - 1, static_cast<int>(share_of_range(box) * sheet.states));
  const double width = 1.0 / sheet.columns, height = 1.0 / sheet.rows;
  const Rect source{(state % sheet.columns) * width, (state / sheet.columns) * height, width, height};
  shapes.emplace_back(PictureShape{rect, (look.face.folder / sheet.file).string(), source});
}

}  // namespace

Look::Look(const Face& f, int picture_height, const Snapshot& v, const History& h, TextMeasure& m)
    : face(f),
      values(v),
      history(h),
      measure(m),
      scale(picture_height / kDesignHeight),
      unit(scale * f.text.scale),
      size(std::max(1.0, std::round(f.text.size * unit))),
      value_style{f.text.font, size, f.text.bold},
      unit_style{f.text.font, std::max(1.0, std::round(size * kUnitSize)), f.text.bold},
      label_style{f.text.font, size, true},
      line(m.measure("0", value_style)) {
  const Snapshot::Entry entry = values.find("recording.state");
  const auto* text = entry.value == nullptr ? nullptr : std::get_if<std::string>(entry.value);
  recording = text == nullptr ? "off" : *text;
}

double Look::em(double share) const { return std::round(share * size); }

double Look::line_height() const { return std::ceil(line.ascent + line.descent); }

double Look::width(const std::string& text, const TextStyle& style) const { return measure.measure(text, style).width; }

std::vector<Point> trace_points(const Look& look, const CellBox& box, const Rect& rect) {
  const auto* entries = look.history.of(box.id);
  if (entries == nullptr || box.info == nullptr) return {};
  const Nanoseconds newest = entries->back().at;
  const auto length = static_cast<Nanoseconds>(box.cell->seconds * kSecond);
  auto first = std::lower_bound(entries->begin(), entries->end(), newest - length,
                                [](const History::Entry& entry, Nanoseconds time) { return entry.at < time; });
  const Unit unit = shown_unit(*box.cell, *box.info);
  const auto shown = [&](double value) { return *convert(value, box.info->unit, unit); };
  const auto [low, high] = box.cell->range.value_or(fitting_range(first, entries->end(), shown));
  std::vector<Point> points;
  points.reserve(static_cast<std::size_t>(entries->end() - first));
  for (; first != entries->end(); ++first) {
    const double along = 1 - static_cast<double>(newest - first->at) / static_cast<double>(length);
    const double up = std::clamp((shown(first->value) - low) / (high - low), 0.0, 1.0);
    points.push_back({rect.x + along * rect.width, rect.y + (1 - up) * rect.height});
  }
  return points;
}

double share_of_range(const CellBox& box) {
  const auto [low, high] = box.cell->range.value_or(std::pair(0.0, 100.0));
  return box.shown ? std::clamp((*box.shown - low) / (high - low), 0.0, 1.0) : 0;
}

CellBox measure_cell(const Look& look, const Cell& cell) {
  CellBox box;
  box.cell = &cell;
  write_span(look, box);
  const std::string widest = write_value(look, box);
  if (box.has_text()) {
    if (!box.title.empty()) box.title_width = std::ceil(look.width(box.title, look.unit_style)) + look.em(kTitleGap);
    box.value_width =
        std::ceil(std::max(look.width(box.value, look.value_style), look.width(widest, look.value_style)));
    if (!box.unit.empty()) box.unit_width = look.em(kUnitGap) + std::ceil(look.width(box.unit, look.unit_style));
    if (cell.as == Show::text) {
      box.value_width =
          std::max(box.value_width, std::round(cell.width.value_or(0) * look.unit) - box.title_width - box.unit_width);
    }
    box.text_width = box.title_width + box.value_width + box.unit_width;
  }
  if (cell.as != Show::text) {
    const bool trace = cell.as == Show::trace || cell.as == Show::text_and_trace;
    box.figure_width =
        std::round(cell.width.value_or(trace ? kTraceWidth : cell.height.value_or(kFigureSize)) * look.unit);
    box.height = std::round(cell.height.value_or(trace ? kTraceHeight : cell.width.value_or(kFigureSize)) * look.unit);
  }
  box.fills = cell.as == Show::trace && !cell.width;
  box.width = box.text_width + (cell.as == Show::text_and_trace ? look.em(kTitleGap) : 0) + box.figure_width;
  return box;
}

Color value_color(const Look& look, const CellBox& box) {
  if (box.shown && box.cell->danger && *box.shown >= *box.cell->danger) return kDanger;
  if (box.shown && box.cell->caution && *box.shown >= *box.cell->caution) return kCaution;
  if (box.cell->color) return *box.cell->color;
  return look.face.text.by_device && box.info != nullptr ? device_color(look.face, box.info->kind)
                                                         : look.face.text.color;
}

void add_mark(const Look& look, double x, double y, std::vector<Shape>& shapes) {
  if (look.recording == "off") return;
  const bool on = look.recording == "on";
  const double side = std::max(4.0, look.em(kMarkSize));
  shapes.emplace_back(BoxShape{
      {std::round(x - side / 2), std::round(y - side / 2), side, side}, on ? kRecording : kHeld, on ? side / 2 : 0});
}

void draw_cell(const Look& look, const CellBox& box, double x, double y, double height, double baseline, Color accent,
               std::vector<Shape>& shapes) {
  const Cell& cell = *box.cell;
  if (box.recorded) add_mark(look, x - look.em(kMarkPlace), baseline - look.em(kMarkHeight), shapes);
  if (box.has_text()) {
    draw_text(look, box, x, baseline, shapes);
    x += box.text_width + look.em(kTitleGap);
  }
  if (cell.as == Show::text) return;
  const Rect rect{std::round(x), std::round(y + std::floor((height - box.height) / 2)), box.figure_width, box.height};
  const Color color = cell.color.value_or(accent);
  if (cell.as == Show::ring) return draw_ring(look, box, rect, color, shapes);
  if (cell.as == Show::reel) return draw_reel(look, box, rect, shapes);
  draw_trace(look, box, rect, color, shapes);
}

}  // namespace idlemeter
