#include "idlemeter/settings/settings_keys.hpp"

#include "face/format/make_key.hpp"

namespace idlemeter {

using namespace face;

namespace {

/// What readings of one's own have, computed or printed by a command.
void add_info(std::vector<FileKey>& keys, std::string_view table) {
  using enum KeyType;
  keys.push_back({table, "id", text, "words of a-z, 0-9 and _ with dots between, like `own.efficiency`"});
  keys.push_back({table, "title", text, "for people; else the id"});
  keys.push_back({table, "brief", text, "for a narrow place; else the title"});
  keys.push_back({table, "unit", unit, "the symbol of the unit, like `W`"});
  keys.push_back(in_range({table, "digits", whole, "digits after the point; else as usual for the unit", ""}, 0, 6));
}

std::vector<FileKey> keys_of_the_file() {
  using enum KeyType;
  return {
      in_range({"", "pace", duration, "how often readings are sampled", "\"500 ms\""}, 0.1, 60),
      {"", "paces", named, "paces of single sources, by name or its first word, like `{ hwmon = \"2 s\" }`"},
      {"", "facts", named,
       "texts instead of what the machine says, or of your own, like `{ \"cpu.name\" = \"Corvid 8\" }`"},
      with_choices(
          {"", "gpu_time", choice,
           "whether the GPU is asked how long it works on frames; `auto`: not a software rasteriser", "\"auto\""},
          {"auto", "on", "off"}),
      {"", "store", file, "the file that holds runs, for all commands; beside this file unless it is a whole path"},
      {"", "face", text, "for games without a rule: a kept face, a starter or a file"},
      {"", "figures", named, "sets of figures, like `publish = [\"frame.average\", \"gpu.power\"]`"},
  };
}

std::vector<FileKey> keys_of_tables() {
  using enum KeyType;
  const std::vector<std::string_view> ways = {"tone", "notification", "speech"};
  return {
      {"game", "program", text, "a pattern for the executable's name or, with a '/', for its whole path"},
      {"game", "face", text, "that such games get; the first rule that fits counts"},
      {"keys", "show", chord, "show or hide the overlay", "\"Ctrl+Alt+O\""},
      {"keys", "clear", chord, "restart the live statistics", "\"Ctrl+Alt+C\""},
      {"keys", "record", chord, "start or stop a recording", "\"Ctrl+Alt+R\""},
      {"keys", "face", chord, "the next face", "\"Ctrl+Alt+F\""},
      {"keys", "mark", chord, "set a mark in the recording", "\"Ctrl+Alt+M\""},
      {"button", "device", file, "an input device that you may read, like those below `/dev/input/by-id`"},
      {"button", "press", text, "its buttons by the kernel's names, together, like `BTN_MODE+BTN_WEST`"},
      with_choices({"button", "does", choice, "what the key of that name does", "\"show\""},
                   {"show", "clear", "record", "face", "mark"}),
      with_choices({"recording", "overlay", choice, "while a recording is in progress", "\"shown\""},
                   {"shown", "hidden"}),
      {"recording", "settings", named, "kept with every run, like `{ driver = \"24.1\" }`"},
      {"recording", "tags", texts, "of every run", "[]"},
      {"recording", "note", text, "of a run, if none is given when it starts"},
      {"recording", "results", file, "a CSV file that gets a line for each finished run"},
      {"recording", "figures", text, "the set of figures that it gets; else the usual ones"},
      with_choices({"cues", "start", choices, "of a recording; `[]` for none", "[\"tone\"]"}, ways),
      with_choices({"cues", "end", choices, "of a recording", "[\"tone\"]"}, ways),
      with_choices({"cues", "mark", choices, "of a mark", "[\"tone\"]"}, ways),
      with_choices({"cues", "failure", choices, "a recording couldn't start, or go on", "[\"tone\", \"notification\"]"},
                   ways),
      in_range({"feed", "age", duration, "after which a value is missing again", "\"5 s\""}, 0.1, 3600),
      {"feed", "socket", file, "where programs connect; else `$XDG_RUNTIME_DIR/idlemeter/feed.sock`"}};
}

/// Readings of the user's own.
void add_own_readings(std::vector<FileKey>& all) {
  using enum KeyType;
  add_info(all, "computed");
  all.push_back({"computed", "formula", text, "over other readings; or:"});
  all.push_back({"computed", "of", reading, "a reading, taken over the last while"});
  all.push_back(with_choices({"computed", "take", choice, "of its values", "\"mean\""}, {"mean", "least", "most"}));
  all.push_back(in_range({"computed", "over", duration, "how long that while is", "\"5 s\""}, 0.1, 3600));
  add_info(all, "command");
  all.push_back({"command", "run", texts, "a program and its arguments, run without a shell; or:"});
  all.push_back({"command", "shell", text, "a line for the shell"});
  all.push_back(
      {"command", "text", flag, "the first line that it prints as it is; else the number at its start", "false"});
  all.push_back(in_range({"command", "every", duration, "how often it runs", "\"5 s\""}, 0.1, 60));
  all.push_back(
      {"command", "limit", duration, "after which it is killed, with everything it started", "\"2 s\"", 0.01, 60});
}

std::vector<FileKey> made_keys() {
  std::vector<FileKey> all = keys_of_the_file();
  for (FileKey& key : keys_of_tables()) all.push_back(std::move(key));
  add_own_readings(all);
  return all;
}

}  // namespace

const std::vector<FileKey>& settings_keys() {
  static const std::vector<FileKey> keys = made_keys();
  return keys;
}

}  // namespace idlemeter
