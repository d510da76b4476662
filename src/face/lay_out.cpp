#include <algorithm>
#include <array>
#include <cmath>

#include "idlemeter/scene.hpp"

namespace idlemeter {
namespace {

constexpr double kDesignHeight = 1080;  // lengths of a face are in 1/1080 of the picture's height
constexpr Color kCaution{255, 209, 74, 255}, kDanger{255, 107, 107, 255};
constexpr const char* kMissing = "–";

// In units of the text size.
constexpr double kUnitSize = 0.68, kPadding = 0.55, kRowGap = 0.28, kLabelGap = 0.9, kCellGap = 0.8, kUnitGap = 0.16,
                 kTitleGap = 0.3;

/// The digits before the point that a value in this unit keeps room for, so that a growing one moves nothing.
int whole_digits(Unit unit) {
  switch (unit) {
    case Unit::percent:
    case Unit::celsius:
    case Unit::fahrenheit:
    case Unit::watt:
    case Unit::frames_per_second:
      return 3;
    case Unit::megahertz:
    case Unit::rpm:
    case Unit::millivolt:
      return 4;
    case Unit::mebibyte:
    case Unit::megabyte:
      return 5;
    case Unit::volt:
    case Unit::gigahertz:
      return 1;
    case Unit::millisecond:
    case Unit::gibibyte:
    case Unit::gigabyte:
      return 2;
    default:
      return 3;
  }
}

/// The text of a value, its unit, and the widest text that it is likely to take.
struct CellText {
  std::string value, unit, widest;
};

/// A cell with what it shows and how large that is.
struct Placed {
  const Cell* cell = nullptr;
  const ReadingInfo* info = nullptr;
  std::optional<double> shown;  // the value in the shown unit
  CellText text;
  double title_width = 0, value_width = 0, unit_width = 0;
  double text_width = 0, trace_width = 0;

  [[nodiscard]] bool has_text() const { return cell->as != Show::trace; }
  [[nodiscard]] bool has_trace() const { return cell->as != Show::text; }
};

struct PlacedRow {
  const Row* row = nullptr;
  DeviceKind kind = DeviceKind::system;
  double label_width = 0;
  double height = 0;
  std::vector<Placed> cells;
};

class Layout {
 public:
  Layout(const Face& face, int width, int height, const Snapshot& values, const History& history, TextMeasure& measure)
      : face_(face),
        values_(values),
        history_(history),
        measure_(measure),
        scale_(height / kDesignHeight),
        size_(std::max(1.0, std::round(face.text.size * scale_))),
        value_style_{face.text.font, size_, false},
        unit_style_{face.text.font, std::max(1.0, std::round(size_ * kUnitSize)), false},
        label_style_{face.text.font, size_, true},
        line_(measure.measure("0", value_style_)) {
    scene_.width = width;
    scene_.height = height;
  }

  Scene run() {
    for (const Row& row : face_.rows) rows_.push_back(measure_row(row));
    face_.flow == Flow::stack ? place_stack() : place_line();
    return std::move(scene_);
  }

 private:
  [[nodiscard]] double em(double share) const { return std::round(share * size_); }
  [[nodiscard]] double line_height() const { return std::ceil(line_.ascent + line_.descent); }

  // Measuring.

  CellText text_of(const Cell& cell, const ReadingInfo* info, const Value* value, std::optional<double>& shown) const {
    if (info == nullptr) return {kMissing, "", kMissing};
    if (const auto* text = std::get_if<std::string>(value)) return {*text, "", *text};
    Unit unit = info->unit;
    const auto number_now = number(*value);
    if (cell.unit && convert(0, info->unit, *cell.unit)) unit = *cell.unit;
    const int digits =
        cell.digits.value_or(unit == info->unit && info->digits >= 0 ? info->digits : usual_digits(unit));
    std::string widest(static_cast<std::size_t>(whole_digits(unit)), '8');
    if (digits > 0) widest += "." + std::string(static_cast<std::size_t>(digits), '8');
    if (!number_now) return {kMissing, std::string(short_symbol(unit)), widest};
    shown = convert(*number_now, info->unit, unit);
    return {format_number(*shown, digits), std::string(short_symbol(unit)), widest};
  }

  Placed measure_cell(const Cell& cell) {
    Placed placed;
    placed.cell = &cell;
    const Snapshot::Entry entry = values_.find(cell.reading);
    placed.info = entry.info;
    placed.text = text_of(cell, entry.info, entry.value, placed.shown);
    if (placed.has_text()) {
      const auto width = [&](const std::string& text, const TextStyle& style) {
        return measure_.measure(text, style).width;
      };
      if (!cell.title.empty()) placed.title_width = std::ceil(width(cell.title, unit_style_)) + em(kTitleGap);
      placed.value_width =
          std::ceil(std::max(width(placed.text.value, value_style_), width(placed.text.widest, value_style_)));
      if (!placed.text.unit.empty()) placed.unit_width = em(kUnitGap) + std::ceil(width(placed.text.unit, unit_style_));
      placed.text_width = placed.title_width + placed.value_width + placed.unit_width;
    }
    if (placed.has_trace()) placed.trace_width = std::round(cell.width * scale_);
    return placed;
  }

  PlacedRow measure_row(const Row& row) {
    PlacedRow placed;
    placed.row = &row;
    placed.label_width = row.label.empty() ? 0 : std::ceil(measure_.measure(row.label, label_style_).width);
    placed.height = line_height();
    for (const Cell& cell : row.cells) {
      placed.cells.push_back(measure_cell(cell));
      if (placed.cells.back().has_trace()) placed.height = std::max(placed.height, std::round(cell.height * scale_));
    }
    for (const Placed& cell : placed.cells) {
      if (cell.info == nullptr) continue;
      placed.kind = cell.info->kind;
      break;
    }
    return placed;
  }

  [[nodiscard]] double cell_width(const Placed& cell) const {
    const bool both = cell.has_text() && cell.has_trace();
    return cell.text_width + (both ? em(kTitleGap) : 0) + cell.trace_width;
  }

  // Placing.

  /// Rows one under another; labels and the n-th text cells of all rows line up.
  void place_stack() {
    double labels = 0;
    std::vector<double> columns;
    for (const PlacedRow& row : rows_) {
      labels = std::max(labels, row.label_width);
      columns.resize(std::max(columns.size(), row.cells.size()));
      for (std::size_t i = 0; i < row.cells.size(); ++i) {
        if (!row.cells[i].has_trace()) columns[i] = std::max(columns[i], cell_width(row.cells[i]));
      }
    }
    const double label_width = labels + (labels > 0 ? em(kLabelGap) : 0);
    double width = 0, height = -em(kRowGap);
    for (const PlacedRow& row : rows_) {
      width = std::max(width, label_width + row_width(row, columns));
      height += row.height + em(kRowGap);
    }
    const Point start = begin_box(width, height);
    double y = start.y;
    for (const PlacedRow& row : rows_) {
      draw_label(row, start.x, y);
      draw_cells(row, columns, start.x + label_width, y);
      y += row.height + em(kRowGap);
    }
  }

  [[nodiscard]] double row_width(const PlacedRow& row, const std::vector<double>& columns) const {
    double width = -em(kCellGap);
    for (std::size_t i = 0; i < row.cells.size(); ++i) width += column_width(row.cells[i], columns, i) + em(kCellGap);
    return std::max(width, 0.0);
  }

  [[nodiscard]] double column_width(const Placed& cell, const std::vector<double>& columns, std::size_t i) const {
    return cell.has_trace() || columns.empty() ? cell_width(cell) : columns[i];
  }

  /// All rows one after another in a line.
  void place_line() {
    const double between = em(2 * kCellGap);
    double width = -between, height = 0;
    for (const PlacedRow& row : rows_) {
      width += between + whole_width(row);
      height = std::max(height, row.height);
    }
    const Point start = begin_box(width, height);
    double x = start.x;
    for (const PlacedRow& row : rows_) {
      const double y = start.y + std::round((height - row.height) / 2);
      draw_label(row, x, y);
      draw_cells(row, {}, x + row.label_width + label_gap(row), y);
      x += whole_width(row) + between;
    }
  }

  [[nodiscard]] double label_gap(const PlacedRow& row) const { return row.label_width > 0 ? em(kLabelGap * 0.6) : 0; }
  [[nodiscard]] double whole_width(const PlacedRow& row) const {
    return row.label_width + label_gap(row) + row_width(row, {});
  }

  /// Places the background for content of that size and returns where the content starts.
  Point begin_box(double width, double height) {
    const double padding = em(kPadding);
    const Rect box = place_box(width + 2 * padding, height + 2 * padding);
    scene_.bounds = box;
    Color color = face_.back.color;
    color.alpha = static_cast<std::uint8_t>(std::lround(255 * face_.back.opacity));
    if (color.alpha > 0) scene_.shapes.emplace_back(BoxShape{box, color, face_.back.radius * scale_});
    return {box.x + padding, box.y + padding};
  }

  [[nodiscard]] Rect place_box(double width, double height) const {
    const int column = static_cast<int>(face_.place.anchor) % 3, row = static_cast<int>(face_.place.anchor) / 3;
    const double dx = face_.place.dx * scale_, dy = face_.place.dy * scale_;
    const std::array x = {dx, (scene_.width - width) / 2 + (row == 1 || column == 1 ? dx : 0),
                          scene_.width - width - dx};
    const std::array y = {dy, (scene_.height - height) / 2 + dy, scene_.height - height - dy};
    return {std::round(x[static_cast<std::size_t>(column)]), std::round(y[static_cast<std::size_t>(row)]), width,
            height};
  }

  // Drawing.

  void text(const std::string& what, const TextStyle& style, Color color, double x, double baseline) {
    scene_.shapes.emplace_back(TextShape{what, style, color, std::round(x), std::round(baseline), face_.text.shadow});
  }

  [[nodiscard]] double baseline(const PlacedRow& row, double y) const {
    return y + std::floor((row.height - line_height()) / 2) + std::round(line_.ascent);
  }

  void draw_label(const PlacedRow& row, double x, double y) {
    if (row.row->label.empty()) return;
    text(row.row->label, label_style_, row.row->color.value_or(usual_color(row.kind)), x, baseline(row, y));
  }

  void draw_cells(const PlacedRow& row, const std::vector<double>& columns, double x, double y) {
    for (std::size_t i = 0; i < row.cells.size(); ++i) {
      const Placed& cell = row.cells[i];
      const double width = column_width(cell, columns, i);
      double at = x + width - cell_width(cell);
      if (cell.has_text()) {
        draw_text_cell(cell, at, baseline(row, y));
        at += cell.text_width + em(kTitleGap);
      }
      if (cell.has_trace()) draw_trace(cell, row, at, y);
      x += width + em(kCellGap);
    }
  }

  [[nodiscard]] Color value_color(const Placed& cell) const {
    if (cell.shown && cell.cell->danger && *cell.shown >= *cell.cell->danger) return kDanger;
    if (cell.shown && cell.cell->caution && *cell.shown >= *cell.cell->caution) return kCaution;
    return cell.cell->color.value_or(face_.text.color);
  }

  void draw_text_cell(const Placed& cell, double x, double baseline) {
    const Color color = value_color(cell);
    Color quiet = color;
    quiet.alpha = static_cast<std::uint8_t>(color.alpha * 0.72);
    if (!cell.cell->title.empty()) text(cell.cell->title, unit_style_, quiet, x, baseline);
    const double width = measure_.measure(cell.text.value, value_style_).width;
    text(cell.text.value, value_style_, color, x + cell.title_width + cell.value_width - width, baseline);
    if (!cell.text.unit.empty())
      text(cell.text.unit, unit_style_, quiet, x + cell.title_width + cell.value_width + em(kUnitGap), baseline);
  }

  void draw_trace(const Placed& cell, const PlacedRow& row, double x, double y) {
    const double height = std::round(cell.cell->height * scale_);
    const Rect rect{x, y + std::floor((row.height - height) / 2), cell.trace_width, height};
    const DeviceKind kind = cell.info == nullptr ? row.kind : cell.info->kind;
    const Color color = cell.cell->color.value_or(row.row->color.value_or(usual_color(kind)));
    scene_.shapes.emplace_back(BoxShape{rect, Color{255, 255, 255, 18}, 2 * scale_});
    TraceShape trace{rect, trace_points(cell, rect), color, std::max(1.0, 1.6 * scale_)};
    if (!trace.points.empty()) scene_.shapes.emplace_back(std::move(trace));
  }

  /// The values of the last seconds from left to right, the newest at the right edge.
  [[nodiscard]] std::vector<Point> trace_points(const Placed& cell, const Rect& rect) const {
    const auto* entries = history_.of(cell.cell->reading);
    if (entries == nullptr || cell.info == nullptr) return {};
    const Nanoseconds newest = entries->back().at;
    const auto length = static_cast<Nanoseconds>(cell.cell->seconds * kSecond);
    auto first = std::lower_bound(entries->begin(), entries->end(), newest - length,
                                  [](const History::Entry& entry, Nanoseconds time) { return entry.at < time; });
    const auto unit =
        cell.cell->unit && convert(0, cell.info->unit, *cell.cell->unit) ? *cell.cell->unit : cell.info->unit;
    const auto shown = [&](double value) { return *convert(value, cell.info->unit, unit); };
    const auto [low, high] = cell.cell->range.value_or(fitting_range(first, entries->end(), shown));
    std::vector<Point> points;
    points.reserve(static_cast<std::size_t>(entries->end() - first));
    for (; first != entries->end(); ++first) {
      const double along = 1 - static_cast<double>(newest - first->at) / static_cast<double>(length);
      const double up = std::clamp((shown(first->value) - low) / (high - low), 0.0, 1.0);
      points.push_back({rect.x + along * rect.width, rect.y + (1 - up) * rect.height});
    }
    return points;
  }

  /// From 0, or the smallest value where that is below, to a little above the largest.
  template <typename Iterator, typename Shown>
  static std::pair<double, double> fitting_range(Iterator first, Iterator last, Shown shown) {
    double low = 0, high = 0;
    for (; first != last; ++first) {
      low = std::min(low, shown(first->value));
      high = std::max(high, shown(first->value));
    }
    return {low, high > low ? high + 0.05 * (high - low) : low + 1};
  }

  const Face& face_;
  const Snapshot& values_;
  const History& history_;
  TextMeasure& measure_;
  double scale_;
  double size_;
  TextStyle value_style_, unit_style_, label_style_;
  TextExtent line_;
  std::vector<PlacedRow> rows_;
  Scene scene_;
};

}  // namespace

Color usual_color(DeviceKind kind) {
  switch (kind) {
    case DeviceKind::processor:
      return {122, 190, 255, 255};
    case DeviceKind::graphics:
      return {255, 179, 92, 255};
    case DeviceKind::memory:
      return {201, 168, 255, 255};
    case DeviceKind::disk:
      return {150, 222, 209, 255};
    case DeviceKind::network:
      return {244, 160, 200, 255};
    case DeviceKind::battery:
      return {232, 226, 120, 255};
    case DeviceKind::board:
      return {178, 190, 208, 255};
    case DeviceKind::frames:
      return {240, 244, 250, 255};
    default:
      return {214, 220, 228, 255};
  }
}

Scene lay_out(const Face& face, int picture_width, int picture_height, const Snapshot& values, const History& history,
              TextMeasure& measure) {
  return Layout(face, picture_width, picture_height, values, history, measure).run();
}

}  // namespace idlemeter
