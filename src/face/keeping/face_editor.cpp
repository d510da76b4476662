#include "idlemeter/face/face_editor.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <variant>

#include "idlemeter/base/error.hpp"
#include "idlemeter/face/face_file.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter {
namespace {

std::vector<std::string> lines_of(const std::string& text) {
  std::vector<std::string> lines(1);
  for (char c : text) {
    if (c == '\n') {
      lines.emplace_back();
    } else {
      lines.back() += c;
    }
  }
  return lines;
}

/// For each pair of places, how many lines the rests of both texts have in common, in their order (the longest common
/// subsequence). O(n * m); a face has a few hundred lines.
std::vector<std::vector<std::size_t>> common_lines(const std::vector<std::string>& a,
                                                   const std::vector<std::string>& b) {
  std::vector<std::vector<std::size_t>> common(a.size() + 1, std::vector<std::size_t>(b.size() + 1));
  for (std::size_t i = a.size(); i-- > 0;) {
    for (std::size_t j = b.size(); j-- > 0;)
      common[i][j] = a[i] == b[j] ? common[i + 1][j + 1] + 1 : std::max(common[i + 1][j], common[i][j + 1]);
  }
  return common;
}

/// Which lines of a text the other doesn't have. A stretch that could as well begin further up does: at [[row]], not
/// after.
void slide_up(const std::vector<std::string>& lines, std::vector<bool>& changed) {
  for (std::size_t first = 0; first < lines.size();) {
    std::size_t end = first;
    while (end < lines.size() && changed[end]) ++end;
    for (std::size_t i = first, last = end; i > 0 && last > i && !changed[i - 1] && lines[i - 1] == lines[last - 1];) {
      changed[--i] = true;
      changed[--last] = false;
    }
    first = end + 1;
  }
}

std::string about(const Cell& cell) {
  constexpr const char* kShown[] = {"", "trace", "ring", "reel"};  // in the order of the variant
  std::string text = cell.trace() != nullptr && cell.has_text() ? "text+trace" : kShown[cell.as.index()];
  const auto add = [&](const std::string& more) { text += (text.empty() ? "" : ", ") + more; };
  if (!cell.title.empty()) add(fmt::format("'{}'", cell.title));
  if (cell.unit) add(std::string(symbol(*cell.unit)));
  if (cell.caution) add(fmt::format("caution {}", *cell.caution));
  if (cell.danger) add(fmt::format("danger {}", *cell.danger));
  if (cell.span) add("span " + to_string(*cell.span));
  return text;
}

std::string about(const CellPin& pin) { return about(pin.cell); }
std::string about(const BoxPin& pin) { return fmt::format("box of {} x {}", pin.width, pin.height); }
std::string about(const PicturePin& pin) { return pin.file; }

std::string about(const TextPin& pin) {
  std::string text;
  for (const TextPiece& piece : pin.text)
    text += piece.reading.empty()
                ? piece.text
                : fmt::format("{{{}{}{}}}", piece.reading, piece.format.empty() ? "" : ":", piece.format);
  return text;
}

/// The row with that label, or called "row:2", from 0.
std::optional<std::size_t> row_called(const Face& face, const std::string& name) {
  for (std::size_t i = 0; i < face.rows.size(); ++i) {
    if (face.rows[i].label == name || name == fmt::format("row:{}", i + 1)) return i;
  }
  return std::nullopt;
}

void add_pins(FaceText& face, const FaceAddition& what) {
  constexpr double kBelow = 28;  // 1/1080 of the picture's height
  const auto [x, y] = *what.at;
  if (!what.text.empty()) face.add_pin(x, y, "text", what.text);
  for (std::size_t i = 0; i < what.readings.size(); ++i)
    face.add_pin(x, y + kBelow * static_cast<double>(i), "reading", what.readings[i]);
}

/// To a row that is there, or as a new one.
void add_cells(FaceText& face, const FaceAddition& what) {
  const FaceParse reading = parse_face(face.toml());
  if (what.row.empty() || !reading.face || !row_called(*reading.face, what.row))
    return face.add_row(what.row, what.readings, what.before);
  for (std::size_t i = 0; i < what.readings.size(); ++i)
    face.add_cell(what.row, what.readings[i], what.before ? std::optional(*what.before + i) : std::nullopt);
}

/// What was just added, under the names that it has now.
std::vector<std::string> parts_added(const FaceText& text, const FaceAddition& what) {
  const FaceParse reading = parse_face(text.toml());
  const std::size_t count = what.readings.size();
  std::vector<std::string> parts;
  for (std::size_t i = 0; reading.face && i < count; ++i) {
    if (what.at) {
      parts.push_back(fmt::format("pin:{}", reading.face->pins.size() - i));
      continue;
    }
    const auto named = what.row.empty() ? std::nullopt : row_called(*reading.face, what.row);
    const std::size_t row = named ? *named + 1 : what.before.value_or(reading.face->rows.size());
    const std::size_t cells = reading.face->rows[row - 1].cells.size();
    const std::size_t first = what.before && !what.row.empty() ? *what.before : cells - count + 1;
    parts.push_back(fmt::format("row:{}/{}", row, first + i));
  }
  return parts;
}

/// Marks the lines that the shortest way from one text to the other removes and adds.
void mark_changes(const std::vector<std::string>& from, const std::vector<std::string>& to, std::vector<bool>& removed,
                  std::vector<bool>& added) {
  const auto common = common_lines(from, to);
  for (std::size_t i = 0, j = 0; i < from.size() || j < to.size();) {
    if (i < from.size() && j < to.size() && from[i] == to[j]) {
      ++i;
      ++j;
    } else if (j == to.size() || (i < from.size() && common[i + 1][j] >= common[i][j + 1])) {
      removed[i++] = true;
    } else {
      added[j++] = true;
    }
  }
}

}  // namespace

std::vector<ChangedLines> changed_lines(const std::string& before, const std::string& after) {
  const auto from = lines_of(before), to = lines_of(after);
  std::vector<bool> removed(from.size()), added(to.size());
  mark_changes(from, to, removed, added);
  slide_up(from, removed);
  slide_up(to, added);
  std::vector<ChangedLines> all;
  bool in_stretch = false;
  for (std::size_t i = 0, j = 0; i < from.size() || j < to.size();) {
    const bool is_removed = i < from.size() && removed[i], is_added = !is_removed && j < to.size() && added[j];
    if ((is_removed || is_added) && !in_stretch) all.push_back({j + 1, {}});
    in_stretch = is_removed || is_added;
    if (in_stretch) all.back().lines.push_back({is_added, is_added ? to[j] : from[i]});
    i += is_added ? 0 : 1;
    j += is_removed ? 0 : 1;
  }
  return all;
}

void add_to(FaceText& face, const FaceAddition& what) {
  if (!what.keys.empty() && what.readings.empty())
    throw Error(Error::Code::invalid,
                fmt::format("'{}={}' is a key, and there is no reading that it belongs to", what.keys.front().first,
                            what.keys.front().second),
                "", "name a reading before it, like frame.rate as=trace");
  what.at ? add_pins(face, what) : add_cells(face, what);
  if (what.keys.empty()) return;
  for (const std::string& part : parts_added(face, what)) {
    for (const auto& [key, value] : what.keys) face.set(part, key, value);
  }
}

namespace {

void add_rows(const Face& face, std::vector<FacePart>& parts) {
  for (std::size_t i = 0; i < face.rows.size(); ++i) {
    const std::string row = part_name(face, i);
    parts.push_back({row, "", face.rows[i].label == row ? "" : face.rows[i].label});
    for (std::size_t j = 0; j < face.rows[i].cells.size(); ++j) {
      const Cell& cell = face.rows[i].cells[j];
      parts.push_back({fmt::format("{}/{}", row, j + 1), cell.reading, about(cell), true});
    }
  }
}

}  // namespace

std::vector<FacePart> face_parts(const Face& face) {
  std::vector<FacePart> parts;
  add_rows(face, parts);
  for (std::size_t i = 0; i < face.pins.size(); ++i) {
    const Pin& pin = face.pins[i];
    const auto* shown = std::get_if<CellPin>(&pin.what);
    const std::string what = std::visit([](const auto& one) { return about(one); }, pin.what);
    parts.push_back({fmt::format("pin:{}", i + 1), shown == nullptr ? "" : shown->cell.reading,
                     fmt::format("at {}, {}  {}", pin.x, pin.y, what)});
  }
  return parts;
}

FaceEditor::Change FaceEditor::edit(const std::function<void(FaceText&)>& change) const {
  FaceFile file(file_);
  Change made{file.text(), {}};
  FaceText text(made.before, file_.string());
  change(text);
  made.after = text.toml();
  if (made.after != made.before) file.write(made.after);
  return made;
}

FaceEditor::Change FaceEditor::undo() const { return step(false); }
FaceEditor::Change FaceEditor::redo() const { return step(true); }

FaceEditor::Change FaceEditor::step(bool forward) const {
  FaceFile file(file_);
  Change made{file.text(), {}};
  if (!(forward ? file.redo() : file.undo()))
    throw Error(Error::Code::not_found, forward ? "there is nothing to redo" : "there is nothing to undo",
                file_.string(), "only changes made in this way are kept");
  made.after = file.text();
  return made;
}

}  // namespace idlemeter
