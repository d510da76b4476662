#include "idlemeter/face/terminal_view.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "face/format/place_holders.hpp"
#include "face/layout/cell_box.hpp"
#include "face/layout/flow.hpp"
#include "idlemeter/base/text.hpp"
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

constexpr std::size_t kColumnsApart = 2, kBlocksApart = 4;

/// In columns and lines of the terminal.
class ColumnMeasure : public TextMeasure {
 public:
  TextExtent measure(const std::string& text, const TextStyle&) override {
    return {static_cast<double>(columns(printable(text))), 1, 0};
  }
};

/// A picture of Braille characters, each two dots wide and four high.
class Dots {
 public:
  Dots(std::size_t width, std::size_t height) : width_(width), height_(height), dots_(width * height) {}

  /// The places of the dots farthest to the right and down.
  [[nodiscard]] double across() const { return static_cast<double>(2 * width_) - 1; }
  [[nodiscard]] double down() const { return static_cast<double>(4 * height_) - 1; }

  /// A line between dots, both ends included, a column after another.
  void draw(const Point& from, const Point& to) {
    double last = from.y;
    for (double x = std::ceil(from.x); x <= to.x || x == std::ceil(from.x); ++x) {
      const double y = to.x > from.x ? from.y + (to.y - from.y) * std::min(1.0, (x - from.x) / (to.x - from.x)) : to.y;
      for (double i = std::round(std::min(last, y)); i <= std::round(std::max(last, y)); ++i)
        set(static_cast<std::size_t>(std::min(x, across())), static_cast<std::size_t>(i));
      last = y;
    }
  }

  /// In UTF-8, where U+2800 and up take three bytes.
  [[nodiscard]] std::string character(std::size_t column, std::size_t row) const {
    const unsigned code = 0x2800 + dots_[row * width_ + column];
    return {static_cast<char>(0xE0 | code >> 12), static_cast<char>(0x80 | (code >> 6 & 0x3F)),
            static_cast<char>(0x80 | (code & 0x3F))};
  }

 private:
  void set(std::size_t x, std::size_t y) {
    constexpr unsigned kDots[4][2] = {{0x01, 0x08}, {0x02, 0x10}, {0x04, 0x20}, {0x40, 0x80}};
    dots_[y / 4 * width_ + x / 2] |= kDots[y % 4][x % 2];
  }

  std::size_t width_, height_;
  std::vector<unsigned> dots_;
};

/// A piece of a line in one colour.
struct Ink {
  Color color;
  bool bold = false, quiet = false;
};

/// Lines of text with escape sequences, and how wide each looks.
struct Lines {
  std::vector<std::string> text;
  std::vector<std::size_t> width;

  explicit Lines(std::size_t count = 1) : text(count), width(count) {}

  [[nodiscard]] std::size_t widest() const { return *std::max_element(width.begin(), width.end()); }

  void pad(std::size_t line, std::size_t to) {
    if (width[line] >= to) return;
    text[line].append(to - width[line], ' ');
    width[line] = to;
  }

  /// Puts others to the right, after a column.
  void beside(const Lines& other, std::size_t column) {
    while (text.size() < other.text.size()) {
      text.emplace_back();
      width.push_back(0);
    }
    for (std::size_t i = 0; i < other.text.size(); ++i) {
      pad(i, column);
      text[i] += other.text[i];
      width[i] += other.width[i];
    }
  }

  void below(const Lines& other) {
    text.insert(text.end(), other.text.begin(), other.text.end());
    width.insert(width.end(), other.width.begin(), other.width.end());
  }
};

/// The 6 x 6 x 6 colours of a terminal of 256: 0, 95, 135, 175, 215, 255.
int of_256(Color color) {
  const auto level = [](std::uint8_t c) { return c < 48 ? 0 : c < 115 ? 1 : (c - 35) / 40; };
  return 16 + 36 * level(color.red) + 6 * level(color.green) + level(color.blue);
}

constexpr Color kBeyond{255, 209, 74, 255};  // of a trace whose values leave its range

class View {
 public:
  View(const Face& face, const Snapshot& values, const History& history, const TerminalStyle& style)
      : face_(face), style_(style), look_(face, 1080, values, history, measure_) {}

  std::string text() {
    Lines all = rows();
    if (!face_.pins.empty()) {
      if (face_.rows.empty()) all = Lines(0);
      all.below(pins());
    }
    std::string text;
    for (std::string& line : all.text) {
      while (line.ends_with(' ')) line.pop_back();
      text += line + "\n";
    }
    return text;
  }

 private:
  // Ink.

  [[nodiscard]] std::string inked(const std::string& text, const Ink& ink) const {
    if (style_.colors == TerminalStyle::Colors::none || text.empty()) return text;
    const double share = (ink.quiet ? 0.66 : 1) * ink.color.alpha / 255;
    const auto dim = [&](std::uint8_t c) { return static_cast<std::uint8_t>(std::lround(c * share)); };
    const Color color{dim(ink.color.red), dim(ink.color.green), dim(ink.color.blue), 255};
    const std::string code = style_.colors == TerminalStyle::Colors::full
                                 ? fmt::format("38;2;{};{};{}", color.red, color.green, color.blue)
                                 : fmt::format("38;5;{}", of_256(color));
    return fmt::format("\x1b[{}{}m{}\x1b[0m", ink.bold ? "1;" : "", code, text);
  }

  void put(Lines& lines, std::size_t line, const std::string& anything, const Ink& ink) const {
    const std::string text = printable(anything);
    lines.text[line] += inked(text, ink);
    lines.width[line] += columns(text);
  }

  // Cells.

  [[nodiscard]] static std::string mark(const std::string& recording) {
    return recording == "on" ? "●" : recording == "held" ? "■" : " ";
  }

  /// title value unit; `room` for all of it, the value at the right end of what is left of it.
  [[nodiscard]] Lines text_cell(const CellBox& box, std::size_t room) const {
    Lines cell;
    const Color color = value_color(look_, box);
    const std::string dot = box.marked ? mark(look_.recording) : "";
    if (!dot.empty()) put(cell, 0, dot, {{255, 82, 82, 255}});
    if (!box.title.empty()) put(cell, 0, box.title + " ", {color, false, true});
    const std::size_t unit = box.unit.empty() ? 0 : columns(box.unit) + 1, used = columns(box.value) + unit;
    if (box.cell->align != Align::left && room > used) cell.pad(0, room - used);
    put(cell, 0, box.value, {color, face_.text.bold, box.provisional});
    if (unit > 0) put(cell, 0, " " + box.unit, {color, false, true});
    return cell;
  }

  static bool is_text(const CellBox& box) { return std::holds_alternative<TextLook>(box.cell->as); }

  [[nodiscard]] static std::size_t text_width(const CellBox& box) {
    const std::size_t value = std::max(columns(box.value), static_cast<std::size_t>(box.value_width));
    return (box.title.empty() ? 0 : columns(box.title) + 1) + value + (box.unit.empty() ? 0 : columns(box.unit) + 1) +
           (box.marked ? 1 : 0);
  }

  [[nodiscard]] Lines trace_cell(const CellBox& box, Color color) const {
    const TraceLook& as = *box.cell->trace();
    const auto width = static_cast<std::size_t>(std::clamp(as.width.value_or(240) / 9, 6.0, 60.0));
    const auto height = static_cast<std::size_t>(std::clamp(std::round(as.height.value_or(40) / 22), 1.0, 6.0));
    Dots dots(width, height);
    const Trace trace = trace_of(look_, box, {0, 0, dots.across(), dots.down()});
    for (std::size_t i = 0; i < trace.points.size(); ++i) dots.draw(trace.points[i == 0 ? 0 : i - 1], trace.points[i]);
    Lines lines(height);
    for (std::size_t row = 0; row < height; ++row) {
      std::string text;
      Color last = color;
      for (std::size_t i = 0; i < width; ++i) {
        const char* arrow = clipped(trace, static_cast<double>(2 * i), row == 0, row + 1 == height);
        const Color now = arrow == nullptr ? color : kBeyond;
        if (now != last) put(lines, row, std::exchange(text, ""), {std::exchange(last, now)});
        const bool drawn = arrow == nullptr || style_.colors != TerminalStyle::Colors::none;
        text += drawn ? dots.character(i, row) : arrow;
      }
      put(lines, row, text, {last});
    }
    return lines;
  }

  /// An arrow if values beyond the range belong to the character that begins there, in the top or the bottom row;
  /// else nullptr. A terminal without colours shows it, others change the line's colour.
  static const char* clipped(const Trace& trace, double x, bool top, bool bottom) {
    for (const Trace::Clipped& one : trace.clipped) {
      if ((one.above ? top : bottom) && one.from < x + 2 && one.to >= x) return one.above ? "▲" : "▼";
    }
    return nullptr;
  }

  [[nodiscard]] Lines bar_cell(const CellBox& box, Color color) const {
    constexpr int kLength = 10;
    constexpr const char* kEighths[] = {"", "▏", "▎", "▍", "▌", "▋", "▊", "▉"};
    const int eighths = static_cast<int>(std::lround(share_of_range(box) * kLength * 8));
    std::string bar;
    for (int i = 0; i < eighths / 8; ++i) bar += "█";
    bar += kEighths[eighths % 8];
    Lines cell;
    put(cell, 0, bar, {color});
    put(cell, 0, std::string(kLength - columns(bar), ' ') + "▕ ", {color, false, true});
    cell.beside(text_cell(box, 0), cell.widest());
    return cell;
  }

  [[nodiscard]] Color accent(const Row* row, const CellBox& box) const {
    if (box.cell->color) return *box.cell->color;
    if (row != nullptr && row->color) return *row->color;
    return device_color(face_, box.info == nullptr ? DeviceKind::system : box.info->kind);
  }

  [[nodiscard]] Lines cell_lines(const CellBox& box, std::size_t room, Color color) const {
    if (is_text(box)) return text_cell(box, room);
    if (box.cell->trace() == nullptr) return bar_cell(box, color);
    if (!box.cell->has_text()) return trace_cell(box, color);
    Lines both = text_cell(box, text_width(box));
    both.beside(trace_cell(box, color), both.widest() + 1);
    return both;
  }

  // Rows.

  struct RowCells {
    const Row* row;
    std::vector<CellBox> boxes;
    std::vector<Lines> cells;  // as wide as they are by themselves
  };

  [[nodiscard]] RowCells measured(const Row& row) const {
    RowCells measured{&row, {}, {}};
    for (const Cell& cell : row.cells) measured.boxes.push_back(measure_cell(look_, cell));
    mark_once(measured.boxes);
    for (const CellBox& box : measured.boxes) measured.cells.push_back(cell_lines(box, 0, accent(&row, box)));
    return measured;
  }

  static FlowRow flow_row(const RowCells& cells) {
    FlowRow flow;
    if (!cells.row->label.empty()) flow.label = static_cast<double>(columns(cells.row->label) + 2);
    for (std::size_t i = 0; i < cells.boxes.size(); ++i) {
      const bool text = is_text(cells.boxes[i]);
      flow.cells.push_back(static_cast<double>(text ? text_width(cells.boxes[i]) : cells.cells[i].widest()));
      flow.lines_up.push_back(text);
    }
    return flow;
  }

  [[nodiscard]] Lines row_lines(const RowCells& row, const FlowRow& flow, const FlowBlock& block) const {
    const auto known =
        std::find_if(row.boxes.begin(), row.boxes.end(), [](const CellBox& box) { return box.info != nullptr; });
    const DeviceKind kind = known == row.boxes.end() ? DeviceKind::system : known->info->kind;
    Lines lines;
    put(lines, 0, row.row->label, {row.row->color.value_or(device_color(face_, kind)), true});
    auto column = static_cast<std::size_t>(block.label);
    for (std::size_t i = 0; i < row.boxes.size(); ++i) {
      const auto room = static_cast<std::size_t>(block.room(flow, i));
      const bool text = is_text(row.boxes[i]);
      lines.beside(text ? text_cell(row.boxes[i], room) : row.cells[i], column);
      column += room + kColumnsApart;
    }
    return lines;
  }

  [[nodiscard]] Lines block_lines(const FlowBlock& block, std::span<const RowCells> rows,
                                  std::span<const FlowRow> flow) const {
    Lines all(0);
    for (std::size_t i = block.first; i < block.first + block.rows; ++i) {
      if (rows[i].row->rule && i > block.first) all.below(Lines(1));
      all.below(row_lines(rows[i], flow[i], block));
    }
    return all;
  }

  [[nodiscard]] Lines rows() const {
    std::vector<RowCells> rows;
    std::vector<FlowRow> flow;
    for (const Row& row : face_.rows) {
      if (!is_left_out(row, face_, look_.values)) rows.push_back(measured(row));
    }
    for (const RowCells& row : rows) flow.push_back(flow_row(row));
    Lines all(0);
    for (const FlowLine& blocks : flow_of(face_, flow, {kColumnsApart, kBlocksApart}, style_.width)) {
      Lines line;
      for (const FlowBlock& block : blocks) {
        const bool first = block.first == blocks.front().first;
        const bool rule = !first && face_.flow == Flow::line && rows[block.first].row->rule;
        if (rule) put(line, 0, " │", {{255, 255, 255, 110}});
        line.beside(block_lines(block, rows, flow), first ? 0 : line.widest() + (rule ? 1 : kBlocksApart));
      }
      all.below(line);
    }
    return all;
  }

  // Pins.

  [[nodiscard]] Lines pin_lines(const Pin& pin) const {
    if (const auto* shown = std::get_if<CellPin>(&pin.what)) {
      CellBox box = measure_cell(look_, shown->cell);
      box.marked = box.recorded;
      return cell_lines(box, 0, accent(nullptr, box));
    }
    const auto& text = std::get<TextPin>(pin.what);
    Lines lines;
    put(lines, 0, filled(text.text, look_.values, [&](const std::string& id) { return spanned(id, text.span, face_); }),
        {text.color.value_or(face_.text.color), text.bold});
    return lines;
  }

  [[nodiscard]] Lines pins() const {
    std::vector<const Pin*> shown;
    for (const Pin& pin : face_.pins) {
      if (std::holds_alternative<TextPin>(pin.what) || std::holds_alternative<CellPin>(pin.what)) shown.push_back(&pin);
    }
    std::stable_sort(shown.begin(), shown.end(),
                     [](const Pin* a, const Pin* b) { return std::pair(a->y, a->x) < std::pair(b->y, b->x); });
    Lines all(0);
    for (const Pin* pin : shown) {
      Lines line;
      put(line, 0, fmt::format("{:>5.0f},{:>5.0f}", pin->x, pin->y), {{200, 208, 220, 255}, false, true});
      line.beside(pin_lines(*pin), 13);
      all.below(line);
    }
    return all;
  }

  const Face& face_;
  TerminalStyle style_;
  ColumnMeasure measure_;
  Look look_;
};

}  // namespace

std::string to_terminal(const Face& face, const Snapshot& values, const History& history, const TerminalStyle& style) {
  return View(face, values, history, style).text();
}

}  // namespace idlemeter
