#include "idlemeter/terminal_view.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.hpp"
#include "face/cell_box.hpp"
#include "face/place_holders.hpp"

namespace idlemeter {
namespace {

/// Every character is one wide and one high.
class CharacterMeasure : public TextMeasure {
 public:
  TextExtent measure(const std::string& text, const TextStyle&) override {
    return {static_cast<double>(characters(printable(text))), 1, 0};
  }
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

  /// Puts others to the right, behind a column.
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

class View {
 public:
  View(const Face& face, const Snapshot& values, const History& history, const TerminalStyle& style)
      : face_(face), style_(style), look_(face, 1080, values, history, measure_) {}

  std::string text() {
    Lines all = face_.flow == Flow::line      ? wrapped_rows()
                : face_.flow == Flow::columns ? columns()
                                              : stack(0, face_.rows.size());
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
    lines.width[line] += characters(text);
  }

  // Cells.

  [[nodiscard]] static std::string mark(const std::string& recording) {
    return recording == "on" ? "●" : recording == "held" ? "■" : " ";
  }

  /// title value unit; `room` for all of it, the value at the right end of what is left of it.
  [[nodiscard]] Lines text_cell(const CellBox& box, std::size_t room) const {
    Lines cell;
    const Color color = value_color(look_, box);
    const std::string dot = box.recorded ? mark(look_.recording) : "";
    if (!dot.empty()) put(cell, 0, dot, {{255, 82, 82, 255}});
    if (!box.title.empty()) put(cell, 0, box.title + " ", {color, false, true});
    const std::size_t unit = box.unit.empty() ? 0 : characters(box.unit) + 1, used = characters(box.value) + unit;
    if (box.cell->align != Align::left && room > used) cell.pad(0, room - used);
    put(cell, 0, box.value, {color, face_.text.bold, box.provisional});
    if (unit > 0) put(cell, 0, " " + box.unit, {color, false, true});
    return cell;
  }

  [[nodiscard]] static std::size_t text_width(const CellBox& box) {
    const std::size_t value = std::max(characters(box.value), static_cast<std::size_t>(box.value_width));
    return (box.title.empty() ? 0 : characters(box.title) + 1) + value +
           (box.unit.empty() ? 0 : characters(box.unit) + 1) + (box.recorded ? 1 : 0);
  }

  /// Two points wide and four high to a character.
  [[nodiscard]] Lines trace_cell(const CellBox& box, Color color) const {
    const auto width = static_cast<std::size_t>(std::clamp(box.cell->width.value_or(240) / 9, 6.0, 60.0));
    const auto height = static_cast<std::size_t>(std::clamp(std::round(box.cell->height.value_or(40) / 22), 1.0, 6.0));
    const double across = static_cast<double>(2 * width), down = static_cast<double>(4 * height);
    std::vector<unsigned> dots(width * height);
    constexpr unsigned kDots[4][2] = {{0x01, 0x08}, {0x02, 0x10}, {0x04, 0x20}, {0x40, 0x80}};
    const auto set = [&](std::size_t x, std::size_t y) { dots[(y / 4) * width + x / 2] |= kDots[y % 4][x % 2]; };
    const auto draw = [&](const Point& from, const Point& to) {  // both ends; a dot column after another
      double last = from.y;
      for (double x = std::ceil(from.x); x <= to.x || x == std::ceil(from.x); ++x) {
        const double y =
            to.x > from.x ? from.y + (to.y - from.y) * std::min(1.0, (x - from.x) / (to.x - from.x)) : to.y;
        for (double i = std::round(std::min(last, y)); i <= std::round(std::max(last, y)); ++i)
          set(static_cast<std::size_t>(std::min(x, across - 1)), static_cast<std::size_t>(i));
        last = y;
      }
    };
    const std::vector<Point> points = trace_points(look_, box, {0, 0, across - 1, down - 1});
    for (std::size_t i = 0; i < points.size(); ++i) draw(points[i == 0 ? 0 : i - 1], points[i]);
    Lines lines(height);
    for (std::size_t row = 0; row < height; ++row) {
      std::string text;
      for (std::size_t i = 0; i < width; ++i) text += utf8(0x2800 + dots[row * width + i]);
      put(lines, row, text, {color});
    }
    return lines;
  }

  /// Of the three bytes that U+2800 and up take.
  static std::string utf8(unsigned code) {
    return {static_cast<char>(0xE0 | code >> 12), static_cast<char>(0x80 | (code >> 6 & 0x3F)),
            static_cast<char>(0x80 | (code & 0x3F))};
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
    put(cell, 0, std::string(kLength - characters(bar), ' ') + "▕ ", {color, false, true});
    cell.beside(text_cell(box, 0), cell.widest());
    return cell;
  }

  [[nodiscard]] Color accent(const Row* row, const CellBox& box) const {
    if (box.cell->color) return *box.cell->color;
    if (row != nullptr && row->color) return *row->color;
    return device_color(face_, box.info == nullptr ? DeviceKind::system : box.info->kind);
  }

  [[nodiscard]] Lines cell_lines(const CellBox& box, std::size_t room, Color color) const {
    switch (box.cell->as) {
      case Show::text:
        return text_cell(box, room);
      case Show::trace:
        return trace_cell(box, color);
      case Show::text_and_trace: {
        Lines both = text_cell(box, text_width(box));
        both.beside(trace_cell(box, color), both.widest() + 1);
        return both;
      }
      default:
        return bar_cell(box, color);
    }
  }

  // Rows.

  [[nodiscard]] Lines row_lines(const Row& row, std::size_t label, const std::vector<std::size_t>& rooms) const {
    std::vector<CellBox> boxes;
    for (const Cell& cell : row.cells) boxes.push_back(measure_cell(look_, cell));
    const auto known = std::find_if(boxes.begin(), boxes.end(), [](const CellBox& box) { return box.info != nullptr; });
    const DeviceKind kind = known == boxes.end() ? DeviceKind::system : known->info->kind;
    Lines lines;
    put(lines, 0, row.label, {row.color.value_or(device_color(face_, kind)), true});
    std::size_t column = label;
    for (std::size_t i = 0; i < boxes.size(); ++i) {
      const Lines cell = cell_lines(boxes[i], i < rooms.size() ? rooms[i] : 0, accent(&row, boxes[i]));
      lines.beside(cell, column);
      column = std::max(column + (i < rooms.size() ? rooms[i] : 0), lines.widest()) + 2;
    }
    return lines;
  }

  [[nodiscard]] Lines stack(std::size_t first, std::size_t end) const {
    std::size_t label = 0;
    std::vector<std::size_t> rooms;
    for (std::size_t i = first; i < end; ++i) {
      const Row& row = face_.rows[i];
      if (!row.label.empty()) label = std::max(label, characters(row.label) + 2);
      rooms.resize(std::max(rooms.size(), row.cells.size()));
      for (std::size_t j = 0; j < row.cells.size(); ++j) {
        if (row.cells[j].as == Show::text) rooms[j] = std::max(rooms[j], text_width(measure_cell(look_, row.cells[j])));
      }
    }
    Lines all(0);
    for (std::size_t i = first; i < end; ++i) {
      if (face_.rows[i].rule && i > first) all.below(Lines(1));
      all.below(row_lines(face_.rows[i], label, rooms));
    }
    return all;
  }

  [[nodiscard]] Lines columns() const {
    const std::size_t rows = face_.rows.size();
    const std::size_t count = std::max<std::size_t>(1, std::min(static_cast<std::size_t>(face_.columns), rows));
    const std::size_t each = (rows + count - 1) / count;
    Lines all(1);
    for (std::size_t first = 0; first < rows; first += each)
      all.beside(stack(first, std::min(rows, first + each)), first == 0 ? 0 : all.widest() + 4);
    return all;
  }

  [[nodiscard]] Lines wrapped_rows() const {
    Lines all(0), line;
    for (std::size_t i = 0; i < face_.rows.size(); ++i) {
      const Lines row = stack(i, i + 1);
      const bool full = line.widest() > 0 && line.widest() + 3 + row.widest() > static_cast<std::size_t>(style_.width);
      if (full) {
        all.below(line);
        line = Lines();
      }
      const bool rule = line.widest() > 0 && face_.rows[i].rule;
      if (rule) put(line, 0, " │", {{255, 255, 255, 110}});
      line.beside(row, line.widest() == 0 ? 0 : line.widest() + (rule ? 1 : 3));
    }
    all.below(line);
    return all;
  }

  // Pins.

  [[nodiscard]] Lines pin_lines(const Pin& pin) const {
    if (pin.what == Pin::What::cell) {
      const CellBox box = measure_cell(look_, pin.cell);
      return cell_lines(box, 0, accent(nullptr, box));
    }
    Lines lines;
    put(lines, 0,
        filled(pin.text, look_.values, [&](const std::string& id) { return spanned(id, pin.cell.span, face_); }),
        {pin.color.value_or(face_.text.color), pin.bold});
    return lines;
  }

  [[nodiscard]] Lines pins() const {
    std::vector<const Pin*> shown;
    for (const Pin& pin : face_.pins) {
      if (pin.what == Pin::What::text || pin.what == Pin::What::cell) shown.push_back(&pin);
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
  CharacterMeasure measure_;
  Look look_;
};

}  // namespace

std::string to_terminal(const Face& face, const Snapshot& values, const History& history, const TerminalStyle& style) {
  return View(face, values, history, style).text();
}

}  // namespace idlemeter
