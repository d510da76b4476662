// idlemeter face show, add, remove, move, rename, color, set, unset, undo, redo: faces changed by command.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <functional>
#include <memory>
#include <utility>

#include "face.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/table.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/face_file.hpp"
#include "idlemeter/face/face_text.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "named_face.hpp"
#include "output.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

struct EditOptions {
  std::string face, part, to, row, text;
  std::vector<std::string> words;
  std::size_t before = 0;  // 0: at the end
  std::vector<double> at;
};

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

/// The lines that were removed and added, each stretch under its place.
void print_difference(const std::string& file, const std::string& before, const std::string& after) {
  if (before == after) return print("{}: nothing to change\n", file);
  const auto from = lines_of(before), to = lines_of(after);
  const auto common = common_lines(from, to);
  std::vector<bool> removed(from.size()), added(to.size());
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
  slide_up(from, removed);
  slide_up(to, added);
  bool in_stretch = false;
  for (std::size_t i = 0, j = 0; i < from.size() || j < to.size();) {
    const bool is_removed = i < from.size() && removed[i], is_added = !is_removed && j < to.size() && added[j];
    if ((is_removed || is_added) && !std::exchange(in_stretch, true)) print("{}:{}\n", file, j + 1);
    if (is_removed) print("- {}\n", from[i]);
    if (is_added) print("+ {}\n", to[j]);
    if (!is_removed && !is_added) in_stretch = false;
    i += is_added ? 0 : 1;
    j += is_removed ? 0 : 1;
  }
}

std::filesystem::path own_file(const std::string& face) {
  const NamedFace named(face);
  if (named.is_starter())
    throw Error(fmt::format("'{}' is a starter", face), "",
                fmt::format("start one of your own with 'idlemeter face new NAME --from {}'", face));
  return named.file();
}

/// Changes the file in one step, keeps the text that was there, and shows what is different.
int edit(const EditOptions& options, const std::function<void(FaceText&)>& change) {
  const std::filesystem::path path = own_file(options.face);
  FaceFile file(path);
  const std::string before = file.text();
  FaceText text(before, path.string());
  change(text);
  if (text.toml() != before) file.write(text.toml());
  print_difference(path.string(), before, text.toml());
  return 0;
}

/// "caution=85" -> "caution", "85"
std::pair<std::string, std::string> key_and_value(const std::string& word) {
  const std::size_t equals = word.find('=');
  if (equals == std::string::npos || equals == 0)
    throw Error(fmt::format("'{}' isn't a key with a value", word), "", "write it like caution=85 or text.size=22");
  return {word.substr(0, equals), word.substr(equals + 1)};
}

/// The first word is a part unless it is a key with a value.
void set(FaceText& text, std::vector<std::string> words) {
  std::string part = "face";
  if (words.front().find('=') == std::string::npos) {
    part = words.front();
    words.erase(words.begin());
  }
  if (words.empty()) throw Error("nothing to set", "", "write it like caution=85 or text.size=22");
  for (const std::string& word : words) {
    const auto [key, value] = key_and_value(word);
    text.set(part, key, value);
  }
}

void add_readings(FaceText& text, const EditOptions& options) {
  if (!options.at.empty()) {
    if (!options.text.empty()) text.add_pin(options.at[0], options.at[1], "text", options.text);
    for (std::size_t i = 0; i < options.words.size(); ++i)
      text.add_pin(options.at[0], options.at[1] + 28.0 * static_cast<double>(i), "reading", options.words[i]);
    return;
  }
  const FaceReading reading = read_face(text.toml());
  bool there = false;
  for (std::size_t i = 0; reading.face && i < reading.face->rows.size(); ++i)
    there = there || reading.face->rows[i].label == options.row || options.row == fmt::format("row:{}", i + 1);
  const auto before = options.before > 0 ? std::optional(options.before) : std::nullopt;
  if (options.row.empty() || !there) return text.add_row(options.row, options.words, before);
  for (std::size_t i = 0; i < options.words.size(); ++i)
    text.add_cell(options.row, options.words[i], before ? std::optional(*before + i) : std::nullopt);
}

/// What `add` has added last, as a part: for keys that follow.
std::vector<std::string> parts_added(const FaceText& text, const EditOptions& options, std::size_t readings) {
  const FaceReading reading = read_face(text.toml());
  std::vector<std::string> parts;
  for (std::size_t i = 0; reading.face && i < readings; ++i) {
    if (!options.at.empty()) {
      parts.push_back(fmt::format("pin:{}", reading.face->pins.size() - i));
      continue;
    }
    std::size_t row = options.before > 0 ? options.before : reading.face->rows.size();
    for (std::size_t r = 0; r < reading.face->rows.size(); ++r) {
      const bool is_it = reading.face->rows[r].label == options.row || options.row == fmt::format("row:{}", r + 1);
      if (!options.row.empty() && is_it) row = r + 1;
    }
    const std::size_t cells = reading.face->rows[row - 1].cells.size();
    const std::size_t first = options.before > 0 && !options.row.empty() ? options.before : cells - readings + 1;
    parts.push_back(fmt::format("row:{}/{}", row, first + i));
  }
  return parts;
}

void add(FaceText& text, EditOptions options) {
  // Words after the readings may be keys of what is added: frame.rate as=trace.
  std::vector<std::string> keys;
  std::erase_if(options.words, [&](const std::string& word) {
    const bool is_key = word.find('=') != std::string::npos;
    if (is_key) keys.push_back(word);
    return is_key;
  });
  if (!keys.empty() && options.words.empty())
    throw Error(fmt::format("'{}' is a key, and there is no reading that it belongs to", keys.front()), "",
                "name a reading before it, like frame.rate as=trace");
  add_readings(text, options);
  if (keys.empty()) return;
  for (const std::string& part : parts_added(text, options, options.words.size())) {
    for (const std::string& word : keys) {
      const auto [key, value] = key_and_value(word);
      text.set(part, key, value);
    }
  }
}

/// Readings that this machine doesn't have may be another machine's: they are added all the same.
void warn_of_unknown(const std::vector<std::string>& ids) {
  if (ids.empty()) return;
  const Snapshot known = readings_here(ids);
  for (const std::string& id : ids) {
    if (known.find(id).info == nullptr) complain("idlemeter: warning: {}\n", unknown_reading(id, known));
  }
}

int undo(const EditOptions& options, bool forward) {
  const std::filesystem::path path = own_file(options.face);
  FaceFile file(path);
  const std::string before = file.text();
  const bool done = forward ? file.redo() : file.undo();
  if (!done) {
    throw Error(forward ? "there is nothing to redo" : "there is nothing to undo", path.string(),
                "only changes by these commands are kept");
  }
  print_difference(path.string(), before, file.text());
  return 0;
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

/// Every part under the name that the other commands know it by.
int show(const EditOptions& options) {
  const Face face = NamedFace(options.face).load();
  Table table({Table::Align::left, Table::Align::left, Table::Align::left});
  for (std::size_t i = 0; i < face.rows.size(); ++i) {
    const std::string row = part_name(face, i);
    table.add({row, "", face.rows[i].label.empty() || face.rows[i].label == row ? "" : face.rows[i].label});
    for (std::size_t j = 0; j < face.rows[i].cells.size(); ++j) {
      const Cell& cell = face.rows[i].cells[j];
      table.add({fmt::format("  {}/{}", row, j + 1), cell.reading, about(cell)});
    }
  }
  for (std::size_t i = 0; i < face.pins.size(); ++i) {
    const Pin& pin = face.pins[i];
    const auto* shown = std::get_if<CellPin>(&pin.what);
    const std::string what = std::visit([](const auto& one) { return about(one); }, pin.what);
    table.add({fmt::format("pin:{}", i + 1), shown == nullptr ? "" : shown->cell.reading,
               fmt::format("at {}, {}  {}", pin.x, pin.y, what)});
  }
  print("{}", table.text());
  return 0;
}

std::string name_key(const std::string& part) {
  if (part == "face") return "name";
  if (part.starts_with("pin:")) return "text";
  return part.find('/') == std::string::npos ? "label" : "title";
}

}  // namespace

void add_face_edits(Command face) {
  const auto options = std::make_shared<EditOptions>();
  const auto command = [&](const char* name, const char* what, const std::function<int(const EditOptions&)>& run) {
    Command added = face.add(name, what, [options, run] { return run(*options); });
    added.option("FACE", options->face, "A kept face or a face file").required();
    return added;
  };
  const auto editing = [&](const char* name, const char* what,
                           const std::function<void(FaceText&, const EditOptions&)>& change) {
    return command(name, what,
                   [change](const EditOptions& o) { return edit(o, [&](FaceText& text) { change(text, o); }); });
  };
  const auto add_part = [&](Command to) {
    to.option("PART", options->part, "A row by its label or as row:2; a cell as GPU/gpu.load or GPU/2; a pin as pin:3")
        .required();
  };
  command("show", "List the parts of a face with the names that the other commands use", show);

  Command added = command("add", "Add readings: as a row, to a row, or as pins", [](const EditOptions& o) {
    const int status = edit(o, [&](FaceText& text) { add(text, o); });
    std::vector<std::string> readings = o.words;
    std::erase_if(readings, [](const std::string& word) { return word.find('=') != std::string::npos; });
    warn_of_unknown(readings);
    return status;
  });
  added.option("READING [KEY=VALUE]", options->words,
               "Ids, as 'idlemeter readings' lists them; then keys of what is added, like as=trace");
  const Option row = added.option("--row", options->row, "The row to add to; a new one if none has this label");
  added.option("--before", options->before, "The number of the row or cell to put it before; else at the end")
      .check(positive());
  const Option at =
      added.option("--at", options->at, "As a pin at X Y, in 1/1080 of the picture's height").takes(2).excludes(row);
  added.option("--text", options->text, "As a pin: a text with {reading:format} places").needs(at);
  added.complete(
      [options] { return options->words.empty() && options->text.empty() && options->row.empty() ? "READING" : ""; });

  add_part(editing("remove", "Remove a row, a cell or a pin",
                   [](FaceText& text, const EditOptions& o) { text.remove(o.part); }));
  Command moved = editing("move", "Move a row, a cell or a pin in its order, or a cell to another row",
                          [](FaceText& text, const EditOptions& o) { text.move(o.part, o.to); });
  add_part(moved);
  moved.option("TO", options->to, "A number from 1; for a cell also a row, as CPU or CPU/1").required();
  Command renamed = editing("rename", "Rename a row's label, a cell's title, a pin's text or the face",
                            [](FaceText& text, const EditOptions& o) { text.set(o.part, name_key(o.part), o.to); });
  add_part(renamed);
  renamed.option("NAME", options->to, "The new one; may be empty").required();
  Command colored = editing(
      "color", "Set the colour of a row's label, a cell, a pin or the face's text",
      [](FaceText& text, const EditOptions& o) { text.set(o.part, o.part == "face" ? "text.color" : "color", o.to); });
  add_part(colored);
  colored.option("COLOR", options->to, "Like \"#8fd694\"; quote it").required();
  editing("set", "Set any key", [](FaceText& text, const EditOptions& o) { set(text, o.words); })
      .option("[PART] KEY=VALUE", options->words, "Like text.size=22, or GPU/gpu.temp caution=80 danger=90")
      .required();
  Command unset =
      editing("unset", "Remove keys, so that their defaults apply", [](FaceText& text, const EditOptions& o) {
        for (const std::string& key : o.words) text.unset(o.part, key);
      });
  add_part(unset);
  unset.option("KEY", options->words, "Like color").required();
  command("undo", "Undo the last change", [](const EditOptions& o) { return undo(o, false); });
  command("redo", "Redo what was undone", [](const EditOptions& o) { return undo(o, true); });
}

}  // namespace idlemeter::cli
