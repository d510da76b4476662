#include <algorithm>
#include <array>
#include <cmath>
#include <span>

#include "face/cell_box.hpp"
#include "face/place_holders.hpp"

namespace idlemeter {
namespace {

// In units of the text size.
constexpr double kPadding = 0.55, kRowGap = 0.28, kLabelGap = 0.9, kCellGap = 0.8, kBlockGap = 1.6;
constexpr Color kRule{255, 255, 255, 60};

struct RowBox {
  const Row* row = nullptr;
  DeviceKind kind = DeviceKind::system;
  double label_width = 0;
  double height = 0;
  std::vector<CellBox> cells;
};

/// Rows one under another whose labels and text cells line up.
struct Block {
  std::span<const RowBox> rows;
  double label_width = 0;       // with the gap behind it
  std::vector<double> columns;  // width of the n-th text cell
  double width = 0, height = 0;
};

class Layout {
 public:
  Layout(const Face& face, int width, int height, const Snapshot& values, const History& history, TextMeasure& measure)
      : face_(face), look_(face, height, values, history, measure) {
    scene_.width = width;
    scene_.height = height;
  }

  Scene run() {
    for (const Row& row : face_.rows) rows_.push_back(measure_row(row));
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
    const auto known =
        std::find_if(box.cells.begin(), box.cells.end(), [](const CellBox& cell) { return cell.info != nullptr; });
    if (known != box.cells.end()) box.kind = known->info->kind;
    return box;
  }

  /// More space before a row than the usual gap.
  [[nodiscard]] double space_before(const RowBox& row) const {
    return std::round(row.row->gap * look_.unit) + (row.row->rule ? look_.em(0.4) : 0);
  }

  [[nodiscard]] Block measure_block(std::span<const RowBox> rows) const {
    Block block;
    block.rows = rows;
    for (const RowBox& row : rows) {
      block.label_width = std::max(block.label_width, row.label_width > 0 ? row.label_width + look_.em(kLabelGap) : 0);
      block.columns.resize(std::max(block.columns.size(), row.cells.size()));
      for (std::size_t i = 0; i < row.cells.size(); ++i) {
        if (row.cells[i].cell->as == Show::text) block.columns[i] = std::max(block.columns[i], row.cells[i].width);
      }
    }
    block.height = -look_.em(kRowGap);
    for (const RowBox& row : rows) {
      block.width = std::max(block.width, (is_wide(row) ? 0 : block.label_width) + cells_width(row, block));
      block.height += row.height + look_.em(kRowGap) + (&row == rows.data() ? 0 : space_before(row));
    }
    return block;
  }

  static double column_width(const RowBox& row, const Block& block, std::size_t i) {
    return row.cells[i].cell->as == Show::text ? block.columns[i] : row.cells[i].width;
  }

  /// A trace alone, without a label: it begins where labels do.
  static bool is_wide(const RowBox& row) {
    return row.row->label.empty() && row.cells.size() == 1 && row.cells[0].cell->as == Show::trace;
  }

  [[nodiscard]] double cells_width(const RowBox& row, const Block& block) const {
    double width = -look_.em(kCellGap);
    for (std::size_t i = 0; i < row.cells.size(); ++i) width += column_width(row, block, i) + look_.em(kCellGap);
    return std::max(width, 0.0);
  }

  // Placing: every flow is lines of blocks.

  using Lines = std::vector<std::vector<Block>>;

  [[nodiscard]] Lines lines() const {
    const std::span<const RowBox> rows = rows_;
    if (face_.flow == Flow::stack) return {{measure_block(rows)}};
    return face_.flow == Flow::columns ? Lines{columns_of(rows)} : wrapped(rows);
  }

  /// As many rows in each column as are needed for the last one to be the shortest.
  [[nodiscard]] std::vector<Block> columns_of(std::span<const RowBox> rows) const {
    const std::size_t columns = std::min(static_cast<std::size_t>(face_.columns), rows.size());
    const std::size_t each = (rows.size() + columns - 1) / columns;
    std::vector<Block> blocks;
    for (std::size_t first = 0; first < rows.size(); first += each) {
      blocks.push_back(measure_block(rows.subspan(first, std::min(each, rows.size() - first))));
    }
    return blocks;
  }

  /// One row after another, a new line where the one before has its share of the whole width.
  [[nodiscard]] Lines wrapped(std::span<const RowBox> rows) const {
    Lines lines(1);
    std::vector<Block> blocks;
    double whole = 0;
    for (std::size_t i = 0; i < rows.size(); ++i) blocks.push_back(measure_block(rows.subspan(i, 1)));
    for (const Block& block : blocks) whole += block.width;
    double width = 0;
    for (Block& block : blocks) {
      const bool full = width > whole / face_.lines - block.width / 2;
      if (full && !lines.back().empty() && lines.size() < static_cast<std::size_t>(face_.lines)) {
        lines.emplace_back();
        width = 0;
      }
      width += block.width;
      lines.back().push_back(std::move(block));
    }
    return lines;
  }

  [[nodiscard]] double gap_before(const Block& block) const {
    return look_.em(kBlockGap) + (face_.flow == Flow::line ? space_before(block.rows.front()) : 0);
  }

  void place_rows() {
    const Lines all = lines();
    double width = 0, height = -look_.em(kRowGap);
    for (const auto& line : all) {
      double line_width = 0, line_height = 0;
      for (const Block& block : line) {
        line_width += block.width + (&block == line.data() ? 0 : gap_before(block));
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
    include(box);
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

  /// In the box's corner, where no cell has the mark.
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
        if (face_.flow == Flow::line && block.rows.front().row->rule)
          add_rule({at.x + gap_before(block) / 2, at.y, 1, height});
        at.x += gap_before(block);
      }
      draw_block(block, {at.x, face_.flow == Flow::line ? at.y + std::floor((height - block.height) / 2) : at.y});
      at.x += block.width;
    }
    return height;
  }

  void add_rule(Rect rect) {
    rect.x = std::round(rect.x);
    rect.y = std::round(rect.y);
    scene_.shapes.emplace_back(BoxShape{rect, kRule, 0});
  }

  void draw_block(const Block& block, Point at) {
    for (const RowBox& row : block.rows) {
      const bool first = &row == block.rows.data();
      if (!first) at.y += space_before(row);
      if (!first && row.row->rule) add_rule({at.x, at.y - look_.em(kRowGap) / 2 - look_.em(0.2), block.width, 1});
      const double margin = look_.em(kRowGap / 2);
      if (row.row->back)
        add_back(*row.row->back, {at.x - margin, at.y - margin, block.width + 2 * margin, row.height + 2 * margin});
      draw_row(row, block, at);
      at.y += row.height + look_.em(kRowGap);
    }
  }

  [[nodiscard]] Color accent(const RowBox& row, const CellBox& cell) const {
    return row.row->color.value_or(device_color(face_, cell.info == nullptr ? row.kind : cell.info->kind));
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
      wide.figure_width = wide.width = wide.fills ? std::max(wide.width, block.width) : wide.width;
      return draw_cell(look_, wide, at.x, at.y, row.height, baseline, accent(row, wide), scene_.shapes);
    }
    double x = at.x + block.label_width;
    for (std::size_t i = 0; i < row.cells.size(); ++i) {
      const CellBox& cell = row.cells[i];
      const double width = column_width(row, block, i), room = width - cell.width;
      const double shift = cell.cell->align == Align::left     ? 0
                           : cell.cell->align == Align::centre ? std::floor(room / 2)
                                                               : room;
      draw_cell(look_, cell, x + shift, at.y, row.height, baseline, accent(row, cell), scene_.shapes);
      x += width + look_.em(kCellGap);
    }
  }

  // Pins.

  void draw_pins(bool behind) {
    for (const Pin& pin : face_.pins) {
      if (pin.behind == behind) draw_pin(pin, {std::round(pin.x * look_.scale), std::round(pin.y * look_.scale)});
    }
  }

  void draw_pin(const Pin& pin, Point at) {
    if (pin.what == Pin::What::text) return draw_text_pin(pin, at);
    if (pin.what == Pin::What::cell) return draw_cell_pin(pin, at);
    const Rect rect{at.x, at.y, std::round(pin.width * look_.scale), std::round(pin.height * look_.scale)};
    include(rect);
    if (pin.what == Pin::What::picture) {
      scene_.shapes.emplace_back(PictureShape{rect, (face_.folder / pin.picture).string()});
      return;
    }
    Back back = pin.box;
    back.color = pin.color.value_or(back.color);
    add_back(back, rect);
  }

  void draw_text_pin(const Pin& pin, Point at) {
    const TextStyle style =
        look_.with_size(std::max(1.0, std::round(pin.size.value_or(face_.text.size) * look_.unit)), pin.bold);
    const std::string text =
        filled(pin.text, look_.values, [&](const std::string& id) { return spanned(id, pin.cell.span, face_); });
    const TextExtent extent = look_.measure.measure(text, style);
    include({at.x, at.y, std::ceil(extent.width), std::ceil(extent.ascent + extent.descent)});
    scene_.shapes.emplace_back(TextShape{text, style, pin.color.value_or(face_.text.color), at.x,
                                         std::round(at.y + extent.ascent), face_.text.edge});
  }

  /// A reading as a cell, in the size that the pin has for its text.
  void draw_cell_pin(const Pin& pin, Point at) {
    Look look = look_;
    if (pin.size) {
      look.size = std::max(1.0, std::round(*pin.size * look_.unit));
      look.value_style = look.with_size(look.size, pin.bold);
      look.unit_style = look.with_size(
          std::max(1.0, std::round(look.size * look_.unit_style.size / look_.value_style.size)), pin.bold);
      look.line = look.measure.measure("0", look.value_style);
    }
    const CellBox box = measure_cell(look, pin.cell);
    const double height = std::max(box.height, box.has_text() ? look.line_height() : 0);
    include({at.x, at.y, box.width, height});
    const Color color =
        pin.color.value_or(device_color(face_, box.info == nullptr ? DeviceKind::system : box.info->kind));
    draw_cell(look, box, at.x, at.y, height, at.y + std::round(look.line.ascent), color, scene_.shapes);
  }

  const Face& face_;
  Look look_;
  std::vector<RowBox> rows_;
  Scene scene_;
};

}  // namespace

Scene lay_out(const Face& face, int picture_width, int picture_height, const Snapshot& values, const History& history,
              TextMeasure& measure) {
  return Layout(face, picture_width, picture_height, values, history, measure).run();
}

}  // namespace idlemeter
