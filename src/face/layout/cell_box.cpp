#include "face/layout/cell_box.hpp"

#include <algorithm>
#include <cmath>

#include "idlemeter/base/time.hpp"
#include "idlemeter/face/color.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/scene.hpp"
#include "idlemeter/face/text_measure.hpp"
#include "idlemeter/frames/frame_statistic.hpp"
#include "idlemeter/frames/span.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter::face {
namespace {

constexpr double kDesignHeight = 1080;  // lengths of a face are in 1/1080 of the picture's height
constexpr Color kCaution{255, 209, 74, 255}, kDanger{255, 107, 107, 255};
constexpr Color kRecording{255, 82, 82, 255}, kHeld{190, 198, 210, 255};
constexpr double kProvisional = 0.66;  // opacity of what rests on too few frames
constexpr const char* kMissing = "–";

// In units of the text size.
constexpr double kUnitSize = 0.68, kUnitGap = 0.16, kTitleGap = 0.3, kUnitRise = 0.24;
constexpr double kMarkSize = 0.26, kMarkPlace = 0.3, kMarkHeight = 0.36;

// In units of the face, unless a cell says otherwise.
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

std::string widest_number(Unit unit, int digits) {
  std::string widest(whole_digits(unit), '8');
  if (digits > 0) widest += "." + std::string(static_cast<std::size_t>(digits), '8');
  return widest;
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
  if (const auto now = idlemeter::number(*entry.value)) {
    box.shown = convert(*now, entry.info->unit, unit);
    box.value = format_number(*box.shown, shown_digits(unit, *box.shown, digits));
  }
  return widest_number(unit, digits);
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

/// From 0, or the smallest value if that is lower, to the largest.
template <typename Iterator, typename Shown>
TraceRange extent_of(Iterator first, Iterator last, Shown shown) {
  TraceRange extent;
  for (; first != last; ++first) {
    extent.low = std::min(extent.low, shown(first->value));
    extent.high = std::max(extent.high, shown(first->value));
  }
  return extent;
}

/// The smallest of 1, 1.5, 2, 3, 5, 7.5, 10, 15 … times the length that is at least `least`: few steps, so that the
/// scale rarely changes, and round ends of round ranges.
double grown(double length, double least) {
  constexpr double kSteps[] = {1, 1.5, 2, 3, 5, 7.5};
  for (double tens = 1; std::isfinite(length * tens); tens *= 10) {
    for (const double step : kSteps) {
      if (length * step * tens >= least) return length * step * tens;
    }
  }
  return length;
}

/// The trace's range, grown if it may, or else one with a little room above the values.
TraceRange range_of(const TraceLook& trace, const auto& extent) {
  if (!trace.range) {
    const auto [low, high] = extent();
    return {low, high > low ? high + 0.05 * (high - low) : low + 1};
  }
  const auto [low, high] = *trace.range;
  return {low, trace.grow ? low + grown(high - low, extent().high - low) : high};
}

double height_of(double value, const TraceRange& range, const Rect& rect) {
  return rect.y + (1 - std::clamp((value - range.low) / (range.high - range.low), 0.0, 1.0)) * rect.height;
}

/// Thin lines across, at values within the range.
void draw_guides(const Look& look, const TraceLook& trace, const Rect& rect, const TraceRange& range,
                 std::vector<Shape>& shapes) {
  constexpr Color kGuide{255, 255, 255, 56};
  const double thick = std::max(1.0, std::round(look.unit));
  for (const double value : trace.guides) {
    if (value <= range.low || value >= range.high) continue;
    const double y = std::round(height_of(value, range, rect) - thick / 2);
    shapes.emplace_back(BoxShape{{rect.x, y, rect.width, thick}, kGuide, 0});
  }
}

/// Along the edge that values are beyond, for as long as they are.
void draw_clipped(const Look& look, const Trace& trace, const Rect& rect, std::vector<Shape>& shapes) {
  const double thick = std::max(2.0, std::round(2.5 * look.unit));
  for (const auto& [from, to, above] : trace.clipped) {
    const double y = above ? rect.y : rect.y + rect.height - thick;
    const double left = std::max(rect.x, std::floor(from)), right = std::min(rect.x + rect.width, std::ceil(to));
    shapes.emplace_back(BoxShape{{left, y, std::max(thick, right - left), thick}, kCaution, 0});
  }
}

/// The ends of the range as small figures, if there is room for both; the upper one after the title.
void draw_ends(const Look& look, const Rect& rect, const TraceRange& range, double x, std::vector<Shape>& shapes) {
  const TextExtent extent = look.measure.measure("0", look.unit_style);
  const double gap = look.em(0.1);
  if (rect.height < 2 * (extent.ascent + extent.descent)) return;
  const Color quiet = faint(look.face.text.color, 0.72);
  const auto text = [](double value) { return format_number(value, value == std::round(value) ? 0 : 1); };
  add_text(look, shapes, text(range.high), look.unit_style, quiet, x, rect.y + extent.ascent + gap);
  add_text(look, shapes, text(range.low), look.unit_style, quiet, rect.x + look.em(kTitleGap),
           std::round(rect.y + rect.height - look.em(0.05)));  // figures have nothing below their line
}

void draw_trace(const Look& look, const CellBox& box, const Rect& rect, Color color, std::vector<Shape>& shapes) {
  shapes.emplace_back(BoxShape{rect, Color{255, 255, 255, 18}, 2 * look.unit});
  const Trace trace = trace_of(look, box, rect);
  const TraceLook& as = *box.cell->trace();
  draw_guides(look, as, rect, trace.range, shapes);
  if (!trace.points.empty()) shapes.emplace_back(TraceShape{rect, trace.points, color, std::max(1.0, 1.6 * look.unit)});
  draw_clipped(look, trace, rect, shapes);
  double x = rect.x + look.em(kTitleGap);
  if (!as.with_text && !box.title.empty()) {
    add_text(look, shapes, box.title, look.unit_style, faint(look.face.text.color, 0.72), x,
             rect.y + look.measure.measure("0", look.unit_style).ascent + look.em(0.1));
    x += std::ceil(look.width(box.title, look.unit_style)) + look.em(kTitleGap);
  }
  if (as.ends) draw_ends(look, rect, trace.range, x, shapes);
}

/// Width and height of what is drawn, in units of the face; of a text nothing.
std::pair<double, double> figure_size(const Cell& cell) {
  if (const TraceLook* trace = cell.trace())
    return {trace->width.value_or(kTraceWidth), trace->height.value_or(kTraceHeight)};
  const auto square = [](const auto& look) {
    return std::pair(look.width.value_or(look.height.value_or(kFigureSize)),
                     look.height.value_or(look.width.value_or(kFigureSize)));
  };
  if (const auto* ring = std::get_if<RingLook>(&cell.as)) return square(*ring);
  if (const auto* reel = std::get_if<ReelLook>(&cell.as)) return square(*reel);
  return {0, 0};
}

/// An arc with the value inside.
void draw_ring(const Look& look, const CellBox& box, const Rect& rect, Color accent, std::vector<Shape>& shapes) {
  const Color warning = value_color(look, box);
  const bool warns = warning == kCaution || warning == kDanger;
  shapes.emplace_back(RingShape{rect, std::max(2.0, rect.width * 0.11), share_of_range(box), warns ? warning : accent,
                                Color{255, 255, 255, 46}});
  const TextStyle number_style = look.with_size(std::max(6.0, std::round(rect.width * 0.30)), false);
  const TextStyle unit_style = look.with_size(
      std::max({5.0, std::round(rect.width * 0.135), std::min(std::round(rect.width * 0.18), look.face.text.least)}),
      false);
  const double middle = rect.x + rect.width / 2, ascent = look.measure.measure("0", number_style).ascent;
  const double baseline = std::round(rect.y + rect.height / 2 + ascent * 0.34);
  add_text(look, shapes, box.value, number_style, warning, middle - look.width(box.value, number_style) / 2, baseline);
  const std::string& below = box.title.empty() ? box.unit : box.title;
  if (!below.empty())
    add_text(look, shapes, below, unit_style, faint(warning, 0.8), middle - look.width(below, unit_style) / 2,
             rect.y + rect.height * 0.88);
}

/// The place of the sheet that belongs to the value.
void draw_reel(const Look& look, const CellBox& box, const Sheet& sheet, const Rect& rect, std::vector<Shape>& shapes) {
  const int state = std::min(sheet.states - 1, static_cast<int>(share_of_range(box) * sheet.states));
  const double width = 1.0 / sheet.columns, height = 1.0 / sheet.rows;
  const Rect source{(state % sheet.columns) * width, (state / sheet.columns) * height, width, height};
  shapes.emplace_back(PictureShape{rect, (look.face.folder / sheet.file).string(), source});
}

}  // namespace

Look::Look(const Face& f, int picture_height, const Snapshot& v, const History& h, TextMeasure& m, double enlarge)
    : face(f),
      values(v),
      history(h),
      measure(m),
      scale(picture_height / kDesignHeight),
      unit(scale * f.text.scale * enlarge),
      size(std::max(1.0, std::round(f.text.size * unit))),
      value_style{f.text.font, size, f.text.bold},
      unit_style{f.text.font, std::max(std::min(size, std::round(f.text.least)), std::round(size * kUnitSize)),
                 f.text.bold},
      label_style{f.text.font, size, true},
      line(m.measure("0", value_style)) {
  const Snapshot::Entry entry = values.find("recording.state");
  const auto* text = entry.value == nullptr ? nullptr : std::get_if<std::string>(entry.value);
  recording = text == nullptr ? "off" : *text;
}

double Look::needed(const Face& face, int picture_height) {
  const double size = face.text.size * face.text.scale * picture_height / kDesignHeight;
  return std::max(1.0, face.text.least / size);
}

double Look::em(double share) const { return std::round(share * size); }

double Look::line_height() const { return std::ceil(line.ascent + line.descent); }

double Look::width(const std::string& text, const TextStyle& style) const { return measure.measure(text, style).width; }

Trace trace_of(const Look& look, const CellBox& box, const Rect& rect) {
  Trace trace;
  const TraceLook& as = *box.cell->trace();
  if (as.range) trace.range = {as.range->first, as.range->second};
  const auto* entries = box.info == nullptr ? nullptr : look.history.of(box.info->id);
  if (entries == nullptr) return trace;
  const Moment newest = entries->back().at;
  const auto first = std::lower_bound(entries->begin(), entries->end(), newest - as.length,
                                      [](const History::Entry& entry, Moment time) { return entry.at < time; });
  const Unit unit = shown_unit(*box.cell, *box.info);
  const auto shown = [&](double value) { return *convert(value, box.info->unit, unit); };
  const TraceRange range = trace.range = range_of(as, [&] { return extent_of(first, entries->end(), shown); });
  trace.points.reserve(static_cast<std::size_t>(entries->end() - first));
  for (auto entry = first; entry != entries->end(); ++entry) {
    const double along = 1 - in_seconds(newest - entry->at) / in_seconds(as.length);
    const double value = shown(entry->value);
    const Point point{rect.x + along * rect.width, height_of(value, range, rect)};
    trace.clip(point.x, value < range.low ? -1 : value > range.high ? 1 : 0);
    trace.points.push_back(point);
  }
  return trace;
}

void Trace::clip(double x, int side) {
  const bool goes_on = clipping_ != 0 && side == clipping_;
  if (!goes_on && side != 0) clipped.push_back({points.empty() ? x : (points.back().x + x) / 2, x, side > 0});
  if (goes_on) clipped.back().to = x;
  clipping_ = side;
}

double share_of_range(const CellBox& box) {
  const auto* ring = std::get_if<RingLook>(&box.cell->as);
  const auto* reel = std::get_if<ReelLook>(&box.cell->as);
  if (ring == nullptr && reel == nullptr) return 0;
  const auto [low, high] = ring != nullptr ? ring->range : reel->range;
  return box.shown ? std::clamp((*box.shown - low) / (high - low), 0.0, 1.0) : 0;
}

CellBox measure_cell(const Look& look, const Cell& cell) {
  CellBox box;
  box.cell = &cell;
  write_span(look, box);
  const std::string widest = write_value(look, box);
  if (cell.has_text()) {
    if (!box.title.empty()) box.title_width = std::ceil(look.width(box.title, look.unit_style)) + look.em(kTitleGap);
    box.value_width =
        std::ceil(std::max(look.width(box.value, look.value_style), look.width(widest, look.value_style)));
    if (!box.unit.empty()) box.unit_width = look.em(kUnitGap) + std::ceil(look.width(box.unit, look.unit_style));
    if (const auto* text = std::get_if<TextLook>(&cell.as)) {
      box.value_width =
          std::max(box.value_width, std::round(text->width.value_or(0) * look.unit) - box.title_width - box.unit_width);
    }
    box.text_width = box.title_width + box.value_width + box.unit_width;
  }
  const auto [width, height] = figure_size(cell);
  box.figure_width = std::round(width * look.unit);
  box.height = std::round(height * look.unit);
  const TraceLook* trace = cell.trace();
  box.fills = trace != nullptr && !trace->with_text && !trace->width;
  box.width = box.text_width + (trace != nullptr && trace->with_text ? look.em(kTitleGap) : 0) + box.figure_width;
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

void mark_once(std::span<CellBox> cells) {
  bool marked = false;
  for (CellBox& cell : cells) {
    cell.marked = cell.recorded && !marked;
    marked = marked || cell.recorded;
  }
}

void draw_cell(const Look& look, const CellBox& box, double x, double y, double height, double baseline, Color accent,
               std::vector<Shape>& shapes) {
  const Cell& cell = *box.cell;
  if (box.marked) add_mark(look, x - look.em(kMarkPlace), baseline - look.em(kMarkHeight), shapes);
  if (cell.has_text()) {
    draw_text(look, box, x, baseline, shapes);
    x += box.text_width + look.em(kTitleGap);
  }
  if (std::holds_alternative<TextLook>(cell.as)) return;
  const Rect rect{std::round(x), std::round(y + std::floor((height - box.height) / 2)), box.figure_width, box.height};
  const Color color = cell.color.value_or(accent);
  if (cell.trace() != nullptr) return draw_trace(look, box, rect, color, shapes);
  if (const auto* reel = std::get_if<ReelLook>(&cell.as)) return draw_reel(look, box, reel->sheet, rect, shapes);
  draw_ring(look, box, rect, color, shapes);
}

}  // namespace idlemeter::face
