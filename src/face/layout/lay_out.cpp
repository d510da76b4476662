#include "idlemeter/face/lay_out.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <span>

#include "face/format/place_holders.hpp"
#include "face/layout/cell_box.hpp"
#include "face/layout/flow.hpp"
#include "idlemeter/face/color.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/scene.hpp"
#include "idlemeter/face/text_measure.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter {
namespace {

using namespace face;

// In units of the text size.
constexpr double kPadding = 0.55, kRowGap = 0.28, kLabelGap = 0.9, kCellGap = 0.8, kBlockGap = 1.6;
constexpr double kAnyWidth = 1e9;
constexpr Color kRule{255, 255, 255, 60};

struct RowBox {
  const Row* row = nullptr;
  DeviceKind kind = DeviceKind::system;
  double label_width = 0;
  double height = 0;
  std::vector<CellBox> cells;
};

/// A block with its height.
struct Block {
  FlowBlock flow;
  double height = 0;
};

class Layout {
 public:
  Layout(const Face& face, int width, int height, const Snapshot& values, const History& history, TextMeasure& measure,
         double enlarge)
      : face_(face), look_(face, height, values, history, measure, enlarge) {
    scene_.width = width;
    scene_.height = height;
  }

  /// How much of the picture's width or height the box takes, whichever is more.
  [[nodiscard]] double share() const { return share_; }

  Scene run() {
    for (const Row& row : face_.rows) {
      if (!is_left_out(row, face_, look_.values)) rows_.push_back(measure_row(row));
    }
    for (const RowBox& row : rows_) flow_.push_back(flow_row(row));
    draw_pins(true);
    if (!rows_.empty()) place_rows();
    draw_pins(false);
    return std::move(scene_);
  }

 private:
  // Measuring.

  [[nodiscard]] RowBox measure_row(const Row& row) const {
    RowBox box;
    box.row = &row;
    box.label_width = row.label.empty() ? 0 : std::ceil(look_.width(row.label, look_.label_style));
    box.height = look_.line_height();
    for (const Cell& cell : row.cells) {
      box.cells.push_back(measure_cell(look_, cell));
      box.height = std::max(box.height, box.cells.back().height);
    }
    mark_once(box.cells);
    const auto known =
        std::find_if(box.cells.begin(), box.cells.end(), [](const CellBox& cell) { return cell.info != nullptr; });
    if (known != box.cells.end()) box.kind = known->info->kind;
    return box;
  }

  /// More space before a row than the usual gap.
  [[nodiscard]] double space_before(const RowBox& row) const {
    return std::round(row.row->gap * look_.unit) + (row.row->rule ? look_.em(0.4) : 0);
  }

  /// A trace alone, without a label: it begins where labels do.
  static bool is_wide(const RowBox& row) {
    return row.row->label.empty() && row.cells.size() == 1 && row.cells[0].cell->trace() != nullptr &&
           !row.cells[0].cell->has_text();
  }

  [[nodiscard]] FlowRow flow_row(const RowBox& row) const {
    FlowRow flow{.label = row.label_width > 0 ? row.label_width + look_.em(kLabelGap) : 0, .wide = is_wide(row)};
    for (const CellBox& cell : row.cells) {
      flow.cells.push_back(cell.width);
      flow.lines_up.push_back(std::holds_alternative<TextLook>(cell.cell->as));
    }
    flow.space_before = space_before(row);
    return flow;
  }

  [[nodiscard]] std::span<const RowBox> rows_of(const Block& block) const {
    return std::span(rows_).subspan(block.flow.first, block.flow.rows);
  }

  [[nodiscard]] double height_of(std::span<const RowBox> rows) const {
    double height = -look_.em(kRowGap);
    for (const RowBox& row : rows)
      height += row.height + look_.em(kRowGap) + (&row == rows.data() ? 0 : space_before(row));
    return height;
  }

  // Placing: every flow is lines of blocks.

  using Lines = std::vector<std::vector<Block>>;

  [[nodiscard]] Lines lines() const {
    Lines lines;
    for (FlowLine& line : flow_of(face_, flow_, {look_.em(kCellGap), look_.em(kBlockGap)}, kAnyWidth)) {
      lines.emplace_back();
      for (FlowBlock& block : line) {
        Block placed{.flow = std::move(block)};
        placed.height = height_of(rows_of(placed));
        lines.back().push_back(std::move(placed));
      }
    }
    return lines;
  }

  [[nodiscard]] double gap_before(const Block& block) const {
    return look_.em(kBlockGap) + (face_.flow == Flow::line ? flow_[block.flow.first].space_before : 0);
  }

  void place_rows() {
    const Lines all = lines();
    double width = 0, height = -look_.em(kRowGap);
    for (const auto& line : all) {
      double line_width = 0, line_height = 0;
      for (const Block& block : line) {
        line_width += block.flow.width + (&block == line.data() ? 0 : gap_before(block));
        line_height = std::max(line_height, block.height);
      }
      width = std::max(width, line_width);
      height += line_height + look_.em(kRowGap);
    }
    Point at = begin_box(width, height);
    for (const auto& line : all) at.y += draw_line(line, at) + look_.em(kRowGap);
  }

  /// Places the background for content of that size and returns where the content starts.
  Point begin_box(double width, double height) {
    const double padding = look_.em(kPadding);
    const Rect box = place_box(width + 2 * padding, height + 2 * padding);
    const double dx = std::abs(face_.place.dx) * look_.scale, dy = std::abs(face_.place.dy) * look_.scale;
    share_ = std::max((box.width + dx) / scene_.width, (box.height + dy) / scene_.height);
    include(box);
    add_area({}, box);
    add_back(face_.back, box);
    add_recording_mark(box);
    return {box.x + padding, box.y + padding};
  }

  [[nodiscard]] Rect place_box(double width, double height) const {
    const int column = static_cast<int>(face_.place.anchor) % 3, row = static_cast<int>(face_.place.anchor) / 3;
    const double dx = face_.place.dx * look_.scale, dy = face_.place.dy * look_.scale;
    const std::array x = {dx, (scene_.width - width) / 2 + dx, scene_.width - width - dx};
    const std::array y = {dy, (scene_.height - height) / 2 + dy, scene_.height - height - dy};
    return {std::round(x[static_cast<std::size_t>(column)]), std::round(y[static_cast<std::size_t>(row)]), width,
            height};
  }

  /// The scene's bounds grow to hold the rectangle.
  void include(const Rect& rect) {
    Rect& bounds = scene_.bounds;
    if (bounds.width == 0) bounds = rect;
    const double right = std::max(bounds.x + bounds.width, rect.x + rect.width);
    const double bottom = std::max(bounds.y + bounds.height, rect.y + rect.height);
    bounds.x = std::min(bounds.x, rect.x);
    bounds.y = std::min(bounds.y, rect.y);
    bounds.width = right - bounds.x;
    bounds.height = bottom - bounds.y;
  }

  // Drawing.

  /// In the box's corner, if no cell has the mark.
  void add_recording_mark(const Rect& box) {
    const auto has_mark = [](const CellBox& cell) { return cell.recorded; };
    for (const RowBox& row : rows_) {
      if (std::any_of(row.cells.begin(), row.cells.end(), has_mark)) return;
    }
    const double middle = look_.em(kPadding) / 2;
    add_mark(look_, box.x + box.width - middle, box.y + middle, scene_.shapes);
  }

  void add_back(const Back& back, const Rect& rect) {
    Color color = back.color;
    color.alpha = static_cast<std::uint8_t>(std::lround(255 * back.opacity));
    if (color.alpha > 0) scene_.shapes.emplace_back(BoxShape{rect, color, back.radius * look_.unit});
  }

  /// Returns the line's height.
  double draw_line(const std::vector<Block>& line, Point at) {
    double height = 0;
    for (const Block& block : line) height = std::max(height, block.height);
    for (const Block& block : line) {
      if (&block != line.data()) {
        if (face_.flow == Flow::line && rows_of(block).front().row->rule)
          add_rule({at.x + gap_before(block) / 2, at.y, 1, height});
        at.x += gap_before(block);
      }
      draw_block(block, {at.x, face_.flow == Flow::line ? at.y + std::floor((height - block.height) / 2) : at.y});
      at.x += block.flow.width;
    }
    return height;
  }

  void add_rule(Rect rect) {
    rect.x = std::round(rect.x);
    rect.y = std::round(rect.y);
    scene_.shapes.emplace_back(BoxShape{rect, kRule, 0});
  }

  void draw_block(const Block& block, Point at) {
    const auto rows = rows_of(block);
    for (const RowBox& row : rows) {
      const bool first = &row == rows.data();
      if (!first) at.y += space_before(row);
      if (!first && row.row->rule) add_rule({at.x, at.y - look_.em(kRowGap) / 2 - look_.em(0.2), block.flow.width, 1});
      const double margin = look_.em(kRowGap / 2);
      if (row.row->back)
        add_back(*row.row->back,
                 {at.x - margin, at.y - margin, block.flow.width + 2 * margin, row.height + 2 * margin});
      add_area(part_of(row), {at.x, at.y, block.flow.width, row.height});
      draw_row(row, block, at);
      at.y += row.height + look_.em(kRowGap);
    }
  }

  [[nodiscard]] Color accent(const RowBox& row, const CellBox& cell) const {
    return row.row->color.value_or(device_color(face_, cell.info == nullptr ? row.kind : cell.info->kind));
  }

  void add_area(const PartId& part, const Rect& rect) { scene_.parts.push_back({part, rect}); }

  [[nodiscard]] PartId part_of(const RowBox& row) const {
    return {.kind = PartId::Kind::row, .row = static_cast<std::size_t>(row.row - face_.rows.data())};
  }

  [[nodiscard]] PartId part_of(const RowBox& row, std::size_t cell) const {
    return {.kind = PartId::Kind::cell, .row = part_of(row).row, .cell = cell};
  }

  void draw_row(const RowBox& row, const Block& block, Point at) {
    const double baseline = at.y + std::floor((row.height - look_.line_height()) / 2) + std::round(look_.line.ascent);
    if (!row.row->label.empty()) {
      const Color color = row.row->color.value_or(device_color(face_, row.kind));
      scene_.shapes.emplace_back(
          TextShape{row.row->label, look_.label_style, color, std::round(at.x), std::round(baseline), face_.text.edge});
    }
    if (is_wide(row)) {
      CellBox wide = row.cells.front();
      wide.figure_width = wide.width = wide.fills ? std::max(wide.width, block.flow.width) : wide.width;
      add_area(part_of(row, 0), {at.x, at.y, wide.width, row.height});
      return draw_cell(look_, wide, at.x, at.y, row.height, baseline, accent(row, wide), scene_.shapes);
    }
    double x = at.x + block.flow.label;
    const FlowRow& flow = flow_[static_cast<std::size_t>(&row - rows_.data())];
    for (std::size_t i = 0; i < row.cells.size(); ++i) {
      const CellBox& cell = row.cells[i];
      const double width = block.flow.room(flow, i), room = width - cell.width;
      const double shift = cell.cell->align == Align::left     ? 0
                           : cell.cell->align == Align::centre ? std::floor(room / 2)
                                                               : room;
      add_area(part_of(row, i), {x, at.y, width, row.height});
      draw_cell(look_, cell, x + shift, at.y, row.height, baseline, accent(row, cell), scene_.shapes);
      x += width + look_.em(kCellGap);
    }
  }

  // Pins.

  void draw_pins(bool behind) {
    for (pin_ = 0; pin_ < face_.pins.size(); ++pin_) {
      const Pin& pin = face_.pins[pin_];
      if (pin.behind == behind) draw_pin(pin, {std::round(pin.x * look_.scale), std::round(pin.y * look_.scale)});
    }
  }

  void draw_pin(const Pin& pin, Point at) {
    std::visit([&](const auto& what) { draw_pin(what, at); }, pin.what);
  }

  void include_pin(const Rect& rect) {
    include(rect);
    add_area({.kind = PartId::Kind::pin, .pin = pin_}, rect);
  }

  void draw_pin(const BoxPin& box, Point at) {
    const Rect rect{at.x, at.y, std::round(box.width * look_.scale), std::round(box.height * look_.scale)};
    include_pin(rect);
    add_back(box.look, rect);
  }

  void draw_pin(const PicturePin& picture, Point at) {
    const Rect rect{at.x, at.y, std::round(picture.width * look_.scale), std::round(picture.height * look_.scale)};
    include_pin(rect);
    scene_.shapes.emplace_back(PictureShape{rect, (face_.folder / picture.file).string()});
  }

  /// Pins don't grow with the box, but their text is never smaller than the face's least.
  [[nodiscard]] double text_size(const std::optional<double>& own) const {
    const double size = std::round(own.value_or(face_.text.size) * look_.scale * face_.text.scale);
    return std::max({1.0, size, std::round(face_.text.least)});
  }

  void draw_pin(const TextPin& pin, Point at) {
    const TextStyle style = look_.with_size(text_size(pin.size), pin.bold);
    const std::string text =
        filled(pin.text, look_.values, [&](const std::string& id) { return spanned(id, pin.span, face_); });
    const TextExtent extent = look_.measure.measure(text, style);
    include_pin({at.x, at.y, std::ceil(extent.width), std::ceil(extent.ascent + extent.descent)});
    scene_.shapes.emplace_back(TextShape{text, style, pin.color.value_or(face_.text.color), at.x,
                                         std::round(at.y + extent.ascent), face_.text.edge});
  }

  /// A reading as a cell, in the size that the pin has for its text.
  void draw_pin(const CellPin& pin, Point at) {
    Look look = look_;
    look.unit = look_.scale * face_.text.scale;  // pins don't grow with the box: they would cover each other
    const bool bold = pin.size ? pin.bold : face_.text.bold;
    const double unit_share = look.unit_style.size / look.value_style.size;
    look.size = text_size(pin.size);
    look.value_style = look.with_size(look.size, bold);
    look.unit_style = look.with_size(
        std::max(std::min(look.size, std::round(face_.text.least)), std::round(look.size * unit_share)), bold);
    look.line = look.measure.measure("0", look.value_style);
    CellBox box = measure_cell(look, pin.cell);
    box.marked = box.recorded;
    const double height = std::max(box.height, box.cell->has_text() ? look.line_height() : 0);
    include_pin({at.x, at.y, box.width, height});
    const Color color =
        pin.cell.color.value_or(device_color(face_, box.info == nullptr ? DeviceKind::system : box.info->kind));
    draw_cell(look, box, at.x, at.y, height, at.y + std::round(look.line.ascent), color, scene_.shapes);
  }

  const Face& face_;
  Look look_;
  std::vector<RowBox> rows_;
  std::vector<FlowRow> flow_;  // of each row
  double share_ = 0;
  Scene scene_;
  std::size_t pin_ = 0;  // that is drawn
};

}  // namespace

Scene lay_out(const Face& face, int picture_width, int picture_height, const Snapshot& values, const History& history,
              TextMeasure& measure) {
  const auto layout = [&](double enlarge) {
    return Layout(face, picture_width, picture_height, values, history, measure, enlarge);
  };
  const double needed = Look::needed(face, picture_height);
  Layout first = layout(needed);
  Scene scene = first.run();
  if (needed == 1 || first.share() <= 1) return scene;
  return layout(std::max(1.0, needed / first.share())).run();  // text that doesn't fit can't be read
}

}  // namespace idlemeter
