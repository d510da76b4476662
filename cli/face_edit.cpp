// idlemeter face show, add, remove, move, rename, color, set, unset, undo, redo: faces changed by command.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <functional>
#include <memory>

#include "face.hpp"
#include "idlemeter/error.hpp"
#include "idlemeter/face_files.hpp"
#include "idlemeter/face_text.hpp"
#include "named_face.hpp"
#include "output.hpp"
#include "table.hpp"

namespace idlemeter::cli {
namespace {

struct EditOptions {
  std::string face, part, to, row, text;
  std::vector<std::string> words;
  std::optional<std::size_t> before;
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

/// The lines between what both texts begin and end with.
void print_difference(const std::string& file, const std::string& before, const std::string& after) {
  const auto old_lines = lines_of(before), new_lines = lines_of(after);
  const std::size_t least = std::min(old_lines.size(), new_lines.size());
  std::size_t same = 0, behind = 0;
  while (same < least && old_lines[same] == new_lines[same]) ++same;
  while (behind < least - same && old_lines[old_lines.size() - 1 - behind] == new_lines[new_lines.size() - 1 - behind])
    ++behind;
  if (same == least && old_lines.size() == new_lines.size()) return print("{}: nothing to change\n", file);
  print("{}:{}\n", file, same + 1);
  for (std::size_t i = same; i + behind < old_lines.size(); ++i) print("- {}\n", old_lines[i]);
  for (std::size_t i = same; i + behind < new_lines.size(); ++i) print("+ {}\n", new_lines[i]);
}

std::filesystem::path own_file(const std::string& face) {
  const NamedFace named(face);
  if (named.is_starter())
    throw Error(fmt::format("'{}' is a starter", face), "",
                fmt::format("begin one of your own with 'idlemeter face new NAME --from {}'", face));
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
    throw Error(fmt::format("'{}' is no key with a value", word), "", "write it like caution=85 or text.size=22");
  return {word.substr(0, equals), word.substr(equals + 1)};
}

/// The first word is a part where it isn't a key with a value.
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

void add(FaceText& text, const EditOptions& options) {
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
  if (options.row.empty() || !there) return text.add_row(options.row, options.words, options.before);
  for (std::size_t i = 0; i < options.words.size(); ++i)
    text.add_cell(options.row, options.words[i], options.before ? std::optional(*options.before + i) : std::nullopt);
}

int undo(const EditOptions& options, bool forward) {
  const std::filesystem::path path = own_file(options.face);
  FaceFile file(path);
  const std::string before = file.text();
  const bool done = forward ? file.redo() : file.undo();
  if (!done) {
    throw Error(forward ? "there is nothing to do again" : "there is nothing to take back", path.string(),
                "only changes by these commands are kept");
  }
  print_difference(path.string(), before, file.text());
  return 0;
}

std::string about(const Cell& cell) {
  constexpr const char* kShown[] = {"", "trace", "text+trace", "ring", "reel"};
  std::string text = kShown[static_cast<int>(cell.as)];
  const auto add = [&](const std::string& more) { text += (text.empty() ? "" : ", ") + more; };
  if (!cell.title.empty()) add(fmt::format("'{}'", cell.title));
  if (cell.unit) add(std::string(symbol(*cell.unit)));
  if (cell.caution) add(fmt::format("caution {}", *cell.caution));
  if (cell.danger) add(fmt::format("danger {}", *cell.danger));
  if (cell.span) add("span " + to_string(*cell.span));
  return text;
}

std::string about(const Pin& pin) {
  if (pin.what == Pin::What::box) return fmt::format("box of {} x {}", pin.width, pin.height);
  if (pin.what == Pin::What::picture) return pin.picture;
  if (pin.what == Pin::What::cell) return about(pin.cell);
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
    table.add({fmt::format("pin:{}", i + 1), pin.cell.reading, fmt::format("at {}, {}  {}", pin.x, pin.y, about(pin))});
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

void add_face_edits(CLI::App& face, Action& action) {
  const auto options = std::make_shared<EditOptions>();
  const auto command = [&](const char* name, const char* what, const std::function<int(const EditOptions&)>& run) {
    CLI::App* added = face.add_subcommand(name, what);
    added->add_option("FACE", options->face, "A kept face or a face file")->required();
    added->callback([options, run, &action] { action = [options, run] { return run(*options); }; });
    return added;
  };
  const auto editing = [&](const char* name, const char* what,
                           const std::function<void(FaceText&, const EditOptions&)>& change) {
    return command(name, what,
                   [change](const EditOptions& o) { return edit(o, [&](FaceText& text) { change(text, o); }); });
  };
  const auto add_part = [&](CLI::App* to) {
    to->add_option("PART", options->part,
                   "A row by its label or as row:2; a cell as GPU/gpu.load or GPU/2; a pin as pin:3")
        ->required();
  };
  command("show", "List the parts of a face under the names that changes know them by", show);

  CLI::App* added = editing("add", "Add readings: as a row, to a row, or as pins", add);
  added->add_option("READING", options->words, "Ids, as 'idlemeter readings' lists them");
  CLI::Option* row = added->add_option("--row", options->row, "The row to add to; a new one where none has this label");
  added->add_option("--before", options->before, "The number of the row or cell to put it before; else at the end")
      ->check(CLI::PositiveNumber);
  CLI::Option* at = added->add_option("--at", options->at, "As a pin at X Y, in 1/1080 of the picture's height")
                        ->expected(2)
                        ->excludes(row);
  added->add_option("--text", options->text, "As a pin: a text with {reading:format} places")->needs(at);
  added->parse_complete_callback([options] {
    if (options->words.empty() && options->text.empty() && options->row.empty()) throw CLI::RequiredError("READING");
  });

  add_part(editing("remove", "Remove a row, a cell or a pin",
                   [](FaceText& text, const EditOptions& o) { text.remove(o.part); }));
  CLI::App* moved = editing("move", "Move a row, a cell or a pin in its order, or a cell to another row",
                            [](FaceText& text, const EditOptions& o) { text.move(o.part, o.to); });
  add_part(moved);
  moved->add_option("TO", options->to, "A number from 1; for a cell also a row, as CPU or CPU/1")->required();
  CLI::App* renamed = editing("rename", "Give a row its label, a cell its title, a pin its text, the face its name",
                              [](FaceText& text, const EditOptions& o) { text.set(o.part, name_key(o.part), o.to); });
  add_part(renamed);
  renamed->add_option("NAME", options->to, "The new one, of any length; an empty one too")->required();
  CLI::App* colored = editing(
      "color", "Give a row's label, a cell, a pin or the face's text its colour",
      [](FaceText& text, const EditOptions& o) { text.set(o.part, o.part == "face" ? "text.color" : "color", o.to); });
  add_part(colored);
  colored->add_option("COLOR", options->to, "Like \"#8fd694\"; quote it")->required();
  editing("set", "Set any key", [](FaceText& text, const EditOptions& o) { set(text, o.words); })
      ->add_option("[PART] KEY=VALUE", options->words, "Like text.size=22, or GPU/gpu.temp caution=80 danger=90")
      ->required();
  CLI::App* unset =
      editing("unset", "Remove keys, so that their defaults count", [](FaceText& text, const EditOptions& o) {
        for (const std::string& key : o.words) text.unset(o.part, key);
      });
  add_part(unset);
  unset->add_option("KEY", options->words, "Like color")->required();
  command("undo", "Take the last change back", [](const EditOptions& o) { return undo(o, false); });
  command("redo", "Do again what was taken back", [](const EditOptions& o) { return undo(o, true); });
}

}  // namespace idlemeter::cli
