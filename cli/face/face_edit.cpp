// idlemeter face show, add, remove, move, rename, color, set, unset, undo, redo: faces changed by command.
#include <fmt/format.h>

#include <functional>
#include <memory>
#include <utility>

#include "face/face.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/table.hpp"
#include "idlemeter/draw/face_library.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/face_editor.hpp"
#include "idlemeter/face/face_text.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/settings/live_values.hpp"
#include "idlemeter/settings/settings.hpp"
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

/// The lines that were removed and added, each stretch under its place.
int print_change(const std::filesystem::path& file, const FaceEditor::Change& change) {
  if (change.before == change.after) print("{}: nothing to change\n", file.string());
  for (const ChangedLines& stretch : changed_lines(change.before, change.after)) {
    print("{}:{}\n", file.string(), stretch.at);
    for (const ChangedLines::Line& line : stretch.lines) print("{} {}\n", line.is_added ? "+" : "-", line.text);
  }
  return 0;
}

int edit(const EditOptions& options, const std::function<void(FaceText&)>& change) {
  const std::filesystem::path file = FaceLibrary().own_file_of(options.face);
  return print_change(file, FaceEditor(file).edit(change));
}

/// "caution=85" -> "caution", "85"
std::pair<std::string, std::string> key_and_value(const std::string& word) {
  const std::size_t equals = word.find('=');
  if (equals == std::string::npos || equals == 0)
    throw Error(Error::Code::invalid, fmt::format("'{}' isn't a key with a value", word), "",
                "write it like caution=85 or text.size=22");
  return {word.substr(0, equals), word.substr(equals + 1)};
}

/// The first word is a part unless it is a key with a value.
void set(FaceText& text, std::vector<std::string> words) {
  std::string part = "face";
  if (words.front().find('=') == std::string::npos) {
    part = words.front();
    words.erase(words.begin());
  }
  if (words.empty())
    throw Error(Error::Code::invalid, "nothing to set", "", "write it like caution=85 or text.size=22");
  for (const std::string& word : words) {
    const auto [key, value] = key_and_value(word);
    text.set(part, key, value);
  }
}

/// Words after the readings may be keys of what is added: frame.rate as=trace.
FaceAddition addition_of(const EditOptions& options) {
  FaceAddition what{.row = options.row, .text = options.text};
  for (const std::string& word : options.words) {
    if (word.find('=') == std::string::npos) {
      what.readings.push_back(word);
    } else {
      what.keys.push_back(key_and_value(word));
    }
  }
  if (options.before > 0) what.before = options.before;
  if (!options.at.empty()) what.at = {options.at[0], options.at[1]};
  return what;
}

/// Readings that this machine doesn't have may be another machine's: they are added all the same.
void warn_of_unknown(const std::vector<std::string>& ids) {
  if (ids.empty()) return;
  const Snapshot known = readings_here(usual_settings(), ids);
  for (const std::string& id : ids) {
    if (known.find(id).info == nullptr) complain("idlemeter: warning: {}\n", unknown_reading(id, known));
  }
}

int step(const EditOptions& options, bool forward) {
  const std::filesystem::path file = FaceLibrary().own_file_of(options.face);
  const FaceEditor editor(file);
  return print_change(file, forward ? editor.redo() : editor.undo());
}

/// Every part under the name that the other commands know it by.
int show(const EditOptions& options) {
  Table table({Table::Align::left, Table::Align::left, Table::Align::left});
  for (const FacePart& part : face_parts(FaceLibrary().load(options.face)))
    table.add({(part.is_cell ? "  " : "") + part.name, part.reading, part.about});
  print("{}", table.text());
  return 0;
}

std::string name_key(const std::string& part) {
  if (part == "face") return "name";
  if (part.starts_with("pin:")) return "text";
  return part.find('/') == std::string::npos ? "label" : "title";
}

using SharedEdit = std::shared_ptr<EditOptions>;

Command add_command(Command& face, const SharedEdit& options, const char* name, const char* what,
                    const std::function<int(const EditOptions&)>& run) {
  Command added = face.add(name, what, options, run);
  added.option("FACE", options->face, "A kept face or a face file").required();
  return added;
}

Command add_edit(Command& face, const SharedEdit& options, const char* name, const char* what,
                 const std::function<void(FaceText&, const EditOptions&)>& change) {
  return add_command(face, options, name, what,
                     [change](const EditOptions& o) { return edit(o, [&](FaceText& text) { change(text, o); }); });
}

/// The same for a command that changes one part.
Command add_part_edit(Command& face, const SharedEdit& options, const char* name, const char* what,
                      const std::function<void(FaceText&, const EditOptions&)>& change) {
  Command added = add_edit(face, options, name, what, change);
  added.option("PART", options->part, "A row by its label or as row:2; a cell as GPU/gpu.load or GPU/2; a pin as pin:3")
      .required();
  return added;
}

int add_readings_to(const EditOptions& options) {
  const FaceAddition what = addition_of(options);
  const int status = edit(options, [&](FaceText& text) { add_to(text, what); });
  warn_of_unknown(what.readings);
  return status;
}

void add_add(Command& face, const SharedEdit& options) {
  Command added = add_command(face, options, "add", "Add readings: as a row, to a row, or as pins", add_readings_to);
  added.option("READING [KEY=VALUE]", options->words,
               "Ids from 'idlemeter readings', then keys for what is added, like as=trace");
  const Option row = added.option("--row", options->row, "The row to add to; a new row if none has this label");
  added.option("--before", options->before, "The number of the row or cell to insert it before; by default at the end")
      .check(positive());
  const Option at = added.option("--at", options->at, "Add it as a pin at X Y, in 1/1080 of the picture's height")
                        .takes(2)
                        .excludes(row);
  added.option("--text", options->text, "The pin's text, with {reading:format} placeholders").needs(at);
  added.complete(
      [options] { return options->words.empty() && options->text.empty() && options->row.empty() ? "READING" : ""; });
}

void add_part_edits(Command& face, const SharedEdit& options) {
  add_part_edit(face, options, "remove", "Remove a row, a cell or a pin",
                [](FaceText& text, const EditOptions& o) { text.remove(o.part); });
  add_part_edit(face, options, "move", "Move a row, a cell or a pin in its order, or a cell to another row",
                [](FaceText& text, const EditOptions& o) { text.move(o.part, o.to); })
      .option("TO", options->to, "A number from 1; for a cell also a row, as CPU or CPU/1")
      .required();
  add_part_edit(face, options, "rename", "Rename a row's label, a cell's title, a pin's text or the face",
                [](FaceText& text, const EditOptions& o) { text.set(o.part, name_key(o.part), o.to); })
      .option("NAME", options->to, "The new one; may be empty")
      .required();
  add_part_edit(
      face, options, "color", "Set the colour of a row's label, a cell, a pin or the face's text",
      [](FaceText& text, const EditOptions& o) { text.set(o.part, o.part == "face" ? "text.color" : "color", o.to); })
      .option("COLOR", options->to, "Like \"#8fd694\"; quote it")
      .required();
}

void add_key_edits(Command& face, const SharedEdit& options) {
  add_edit(face, options, "set", "Set any key", [](FaceText& text, const EditOptions& o) { set(text, o.words); })
      .option("[PART] KEY=VALUE", options->words, "Like text.size=22, or GPU/gpu.temp caution=80 danger=90")
      .required();
  add_part_edit(face, options, "unset", "Remove keys, so that their defaults apply",
                [](FaceText& text, const EditOptions& o) {
                  for (const std::string& key : o.words) text.unset(o.part, key);
                })
      .option("KEY", options->words, "Like color")
      .required();
}

}  // namespace

void add_face_edits(Command& face) {
  const auto options = std::make_shared<EditOptions>();
  add_command(face, options, "show", "List the parts of a face with the names that the other commands use", show);
  add_add(face, options);
  add_part_edits(face, options);
  add_key_edits(face, options);
  add_command(face, options, "undo", "Undo the last change", [](const EditOptions& o) { return step(o, false); });
  add_command(face, options, "redo", "Redo what was undone", [](const EditOptions& o) { return step(o, true); });
}

}  // namespace idlemeter::cli
