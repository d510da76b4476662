#include "idlemeter/face/check_face.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "idlemeter/base/finding.hpp"
#include "idlemeter/face/color.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/lay_out.hpp"
#include "idlemeter/face/scene.hpp"
#include "idlemeter/face/text_measure.hpp"
#include "idlemeter/frames/frame_statistic.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter {
namespace {

using Fix = std::optional<Finding::Fix>;

void warn(Findings& findings, std::uint32_t line, std::string message, Fix fix = {}) {
  findings.push_back({Finding::Severity::warning, std::max(line, 1u), 1, std::move(message), std::move(fix)});
}

bool is_unknown(const std::string& id, const Snapshot& values) {
  return !id.empty() && values.find(id).info == nullptr;
}

Fix nearest_reading(const std::string& id, const Snapshot& values) {
  const auto near = nearest_ids(id, values);
  if (near.empty()) return std::nullopt;
  return Finding::Fix{"use " + near.front(), "reading", near.front()};
}

void check_cell(const Face& face, const Cell& cell, const Snapshot& values, Findings& findings) {
  const std::string id = spanned(cell.reading, cell.span, face);
  if (is_unknown(id, values))
    warn(findings, cell.line, unknown_reading(id, values), nearest_reading(cell.reading, values));
  if (cell.span && !cell.reading.empty() && !frame_statistic(cell.reading)) {
    warn(findings, cell.line,
         fmt::format("'span' is for statistics of frames, like frame.average; '{}' isn't one", cell.reading),
         Finding::Fix{"remove the span", "span", {}});
  }
}

void check_readings(const Face& face, const Snapshot& values, Findings& findings) {
  for (const Row& row : face.rows) {
    if (is_left_out(row, face, values)) continue;
    for (const Cell& cell : row.cells) check_cell(face, cell, values, findings);
  }
  for (const Pin& pin : face.pins) {
    if (const auto* shown = std::get_if<CellPin>(&pin.what)) check_cell(face, shown->cell, values, findings);
    const auto* text = std::get_if<TextPin>(&pin.what);
    for (std::size_t i = 0; text != nullptr && i < text->text.size(); ++i) {
      const std::string id = spanned(text->text[i].reading, text->span, face);
      if (is_unknown(id, values)) warn(findings, pin.line, unknown_reading(id, values));
    }
  }
}

void check_labels(const Face& face, Findings& findings) {
  std::map<std::string, std::uint32_t> seen;
  for (const Row& row : face.rows) {
    const auto [first, is_new] = seen.try_emplace(row.label, row.line);
    if (is_new || row.label.empty()) continue;
    warn(findings, row.line,
         fmt::format("this row has the same label, '{}', as the one in line {}; several cells fit one row", row.label,
                     first->second));
  }
}

/// Says at which pictures it doesn't fit, once for all of them.
void check_size(const Face& face, const Snapshot& values, TextMeasure& measure, Findings& findings) {
  constexpr std::pair<int, int> kPictures[] = {{1280, 720}, {1280, 800}, {1920, 1080}, {2560, 1440}, {3840, 2160}};
  std::string where;
  for (const auto& [width, height] : kPictures) {
    const Rect b = lay_out(face, width, height, values, History{}, measure).bounds;
    if (b.x >= 0 && b.y >= 0 && b.x + b.width <= width && b.y + b.height <= height) continue;
    where += fmt::format("{}{}x{} (needs {:.0f}x{:.0f} at {:.0f}, {:.0f})", where.empty() ? "" : ", ", width, height,
                         b.width, b.height, b.x, b.y);
  }
  if (!where.empty())
    warn(findings, 1,
         fmt::format(
             "reaches beyond a picture of {}; a smaller text.size, fewer cells, or another place or flow would fit",
             where));
}

/// The place that a pin takes by itself.
Rect place_of(const Face& face, const Pin& pin, const Snapshot& values, TextMeasure& measure) {
  Face alone = face;
  alone.rows.clear();
  alone.pins = {pin};
  return lay_out(alone, 1920, 1080, values, History{}, measure).bounds;
}

bool overlap(const Rect& a, const Rect& b) {
  return a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height;
}

/// Boxes and pictures are there to be covered.
void check_pins(const Face& face, const Snapshot& values, TextMeasure& measure, Findings& findings) {
  std::vector<std::pair<const Pin*, Rect>> placed;
  for (const Pin& pin : face.pins) {
    if (!std::holds_alternative<TextPin>(pin.what) && !std::holds_alternative<CellPin>(pin.what)) continue;
    const Rect rect = place_of(face, pin, values, measure);
    for (const auto& [other, other_rect] : placed) {
      if (!overlap(rect, other_rect)) continue;
      warn(findings, pin.line, fmt::format("this pin covers the one in line {}", other->line));
    }
    placed.emplace_back(&pin, rect);
  }
}

/// Relative luminance (WCAG 2.1, "relative luminance").
double luminance(Color color) {
  const auto linear = [](std::uint8_t channel) {
    const double c = channel / 255.0;
    return c <= 0.03928 ? c / 12.92 : std::pow((c + 0.055) / 1.055, 2.4);
  };
  return 0.2126 * linear(color.red) + 0.7152 * linear(color.green) + 0.0722 * linear(color.blue);
}

/// From 1 to 21 (WCAG 2.1, "contrast ratio").
double contrast(Color a, Color b) {
  const double x = luminance(a), y = luminance(b);
  return (std::max(x, y) + 0.05) / (std::min(x, y) + 0.05);
}

void check_color(const Color& color, const Color& ground, std::uint32_t line, Findings& findings, Fix fix = {}) {
  constexpr double kReadable = 4.5;
  const double ratio = contrast(color, ground);
  if (ratio >= kReadable) return;
  warn(findings, line,
       fmt::format(
           "#{:02x}{:02x}{:02x} on #{:02x}{:02x}{:02x} has a contrast of {:.1f}:1 and is hard to read; 4.5:1 is enough",
           color.red, color.green, color.blue, ground.red, ground.green, ground.blue, ratio),
       std::move(fix));
}

void check_colors(const Face& face, Findings& findings) {
  const Finding::Fix usual_color{"take the usual colour", "color", {}};
  const bool open = face.back.opacity == 0;
  if (open && face.text.edge == Edge::none && !face.rows.empty()) {
    warn(findings, 1,
         "neither a box behind the text nor an edge around it: on ground of its own colour it can't be seen",
         Finding::Fix{"give it an edge", "text.edge", "shadow"});
  }
  if (open) return;
  check_color(face.text.color, face.back.color, 1, findings);
  for (const Row& row : face.rows) {
    const Color ground = row.back && row.back->opacity > 0 ? row.back->color : face.back.color;
    if (row.color) check_color(*row.color, ground, row.line, findings, usual_color);
    for (const Cell& cell : row.cells) {
      if (cell.color) check_color(*cell.color, ground, cell.line, findings, usual_color);
    }
  }
}

}  // namespace

Findings check_face(const Face& face, const Snapshot& values, TextMeasure& measure) {
  Findings findings;
  check_readings(face, values, findings);
  check_labels(face, findings);
  check_size(face, values, measure, findings);
  check_pins(face, values, measure, findings);
  check_colors(face, findings);
  std::stable_sort(findings.begin(), findings.end(),
                   [](const Finding& a, const Finding& b) { return a.line < b.line; });
  return findings;
}

}  // namespace idlemeter
