#include "idlemeter/face/file_keys.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>

#include "face/format/face_words.hpp"
#include "face/format/make_key.hpp"
#include "face/format/read_cell.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/table.hpp"
#include "idlemeter/readings/reading.hpp"

namespace idlemeter {
namespace {

using namespace face;
using base::word_of;

template <typename T, std::size_t N>
std::vector<std::string_view> words_in(const Word<T> (&words)[N]) {
  std::vector<std::string_view> all;
  for (const Word<T>& word : words) all.push_back(word.word);
  return all;
}

using Keys = std::vector<FileKey>;
using enum KeyType;

constexpr double kWidest = kLargestLength;

Keys top_keys() {
  return {
      {"", "name", text, "the name in lists"},
      with_choices({"", "flow", choice,
                    "`stack`: rows below each other, their values in columns; `columns`: several such stacks side by "
                    "side; `line`: rows one after another",
                    "\"stack\""},
                   words_in(kFlows)),
      in_range({"", "lines", whole, "how many lines a flow in a line may take", "1"}, 1, 8),
      in_range({"", "columns", whole, "how many stacks a flow in columns has", "2"}, 1, 8),
      {"", "span", span, "what the statistics of frames cover", "\"recording\""},
      with_choices({"", "palette", choice,
                    "the colours of devices; `beacon` is stronger, `chalk` is the text's for all. In the first two, "
                    "kinds of devices stay apart for eyes with few colours",
                    "\"shore\""},
                   words_in(kPalettes))};
}

Keys place_keys() {
  return {with_choices({"place", "anchor", choice, "where on the picture", "\"top-left\""}, words_in(kAnchors)),
          in_range({"place", "dx", number, "inward from the anchor's edge; right if it is centred", "12"}, -kWidest,
                   kWidest),
          in_range({"place", "dy", number, "inward from the anchor's edge; down if it is centred", "12"}, -kWidest,
                   kWidest)};
}

Keys text_keys() {
  return {
      {"text", "font", text, "a family that fontconfig knows", "\"sans\""},
      in_range({"text", "size", number, "the height of letters", "18"}, 4, 400),
      in_range({"text", "least", number,
                "pixels: at small pictures, like 640x480, the box and its texts are drawn larger until the text has "
                "this size, as far as the picture has room",
                "11"},
               1, 100),
      in_range({"text", "scale", number, "makes the text and all that is measured by it larger or smaller", "1"}, 0.25,
               8),
      with_choices({"text", "weight", choice, "how strong letters are", "\"normal\""}, words_in(kWeights)),
      with_choices({"text", "units", choice, "small units on the value's line, or as high as it", "\"level\""},
                   words_in(kUnitPlaces)),
      with_choices({"text", "color", color, "of texts; `\"device\"`: values have their device's colour", "\"#f4f4f4\""},
                   {"device"}),
      with_choices({"text", "edge", choice, "a dark rim around letters, for bright ground", "\"shadow\""},
                   words_in(kEdges))};
}

Keys back_keys() {
  return {{"back", "color", color, "of the box", "\"#10141f\""},
          in_range({"back", "opacity", number, "of the box; 0 hides it", "0.55"}, 0, 1),
          in_range({"back", "radius", number, "of its corners", "8"}, 0, 200)};
}

Keys row_keys() {
  return {{"row", "label", text, "the word before its cells"},
          {"row", "color", color, "of the label; else by the kind of device"},
          in_range({"row", "gap", number, "more space before it", "0"}, 0, 400),
          {"row", "rule", flag, "a thin line before it", "false"},
          {"row", "optional", flag, "left out where the machine has none of its readings", "false"}};
}

/// What every cell may have.
Keys cell_keys() {
  return {
      {"cell", "reading", reading, "the id, like `gpu.load`"},
      with_choices({"cell", "as", choice,
                    "`trace`: a line over time; `ring`: an arc with the value inside; `reel`: a picture out of a sheet "
                    "of states",
                    "\"text\""},
                   words_in(kShows)),
      {"cell", "title", text, "a small word before the value; inside a ring; in a trace's corner"},
      {"cell", "unit", unit, "another unit of the same kind, like \"GiB\"; else the reading's"},
      {"cell", "unit_text", text, "what is written instead of the unit; `\"\"` hides it"},
      in_range({"cell", "digits", whole, "digits after the point; else as usual for the unit", ""}, 0, 6),
      {"cell", "span", span, "of a statistic of frames; else the face's"},
      with_choices({"cell", "align", choice, "of the value in its column", "\"right\""}, words_in(kAligns)),
      {"cell", "color", color, "of the value, the trace or the ring; else the text's, of a trace or ring its device's"},
      {"cell", "caution", number, "in the shown unit: from here on the value has the first warning colour"},
      {"cell", "danger", number, "from here on it has the second"},
      in_range({"cell", "width", number,
                "240 for a trace, 64 for a ring or a reel; for a text the least. A trace alone in a row without a "
                "label is as wide as the others",
                ""},
               4, kWidest)};
}

/// What only some ways to show a reading have.
Keys way_keys() {
  const std::vector<std::string_view> drawn = {"trace", "text+trace", "ring", "reel"}, traces = {"trace", "text+trace"},
                                      reel = {"reel"};
  return {
      for_ways(in_range({"cell", "height", number, "40 for a trace, 64 for the others", ""}, 4, kWidest), drawn),
      for_ways({"cell", "range", pair,
                "the values at both ends, like `[0, 40]`; else a trace fits its values, others have 0 to 100"},
               drawn),
      for_ways({"cell", "grow", flag,
                "the range grows, in round steps, while values leave it. Without it, a yellow edge shows where they do",
                "false"},
               traces),
      for_ways({"cell", "ends", flag, "small figures at the ends of the range", "false"}, traces),
      for_ways({"cell", "guides", numbers, "values that have a thin line, like `[16.7, 33.3]`: up to 8", "[]"}, traces),
      for_ways(in_range({"cell", "seconds", number, "how far it reaches back", "10"}, 0.5, 3600), traces),
      for_ways({"cell", "sheet", file, "a PNG beside the face with the states, read row by row"}, reel),
      for_ways(in_range({"cell", "grid", pair, "its columns and rows, whole numbers", "[1, 1]"}, 1, 64), reel),
      for_ways(in_range({"cell", "states", whole, "how many places of the grid are used; else all", ""}, 1, 4096),
               reel)};
}

/// What a pin has beside a cell's keys.
Keys pin_keys() {
  return {
      in_range({"pin", "at", pair, "its top left corner, in 1/1080 of the picture's height, like `[40, 980]`", ""},
               -kWidest, kWidest),
      with_choices({"pin", "layer", choice, "before or behind the rows; pins are drawn in their order", "\"front\""},
                   words_in(kLayers)),
      {"pin", "text", text,
       "words with places for readings: `\"{clock.now:%H:%M}  {gpu.power:.0f} W\"`; after the colon a format as in C++ "
       "(`std::format`) or, for the time, `strftime`; a brace itself is written twice"},
      in_range({"pin", "size", number, "of its text; else the face's", ""}, 4, 400),
      with_choices({"pin", "weight", choice, "of its text", "\"normal\""}, words_in(kWeights)),
      in_range({"pin", "box", pair, "a box's width and height, like `[300, 80]`", ""}, 0, kWidest),
      in_range({"pin", "opacity", number, "of a box", "0.55"}, 0, 1),
      in_range({"pin", "radius", number, "of a box's corners", "8"}, 0, 200),
      {"pin", "picture", file, "a PNG beside the face, with `width` and `height`"}};
}

Keys color_keys() {
  Keys keys;
  for (const DeviceKind kind : kDeviceKinds) keys.push_back({"colors", name_of(kind), color});
  return keys;
}

Keys all_face_keys() {
  Keys all;
  for (const auto of_table :
       {&top_keys, &place_keys, &text_keys, &back_keys, &row_keys, &cell_keys, &way_keys, &pin_keys, &color_keys}) {
    for (FileKey& key : of_table()) all.push_back(std::move(key));
  }
  return all;
}

}  // namespace

const std::vector<FileKey>& face_keys() {
  static const std::vector<FileKey> keys = all_face_keys();
  return keys;
}

const FileKey* find_key(std::span<const FileKey> keys, std::string_view table, std::string_view name) {
  const auto found = std::find_if(keys.begin(), keys.end(),
                                  [&](const FileKey& key) { return key.table == table && key.name == name; });
  if (found != keys.end()) return &*found;
  return table == "pin" ? find_key(keys, "cell", name) : nullptr;
}

std::string values_words(const FileKey& key) {
  if (key.type == KeyType::choice || key.type == KeyType::choices) {
    std::string words;
    for (const std::string_view choice : key.choices) words += fmt::format("{}`{}`", words.empty() ? "" : ", ", choice);
    return words;
  }
  const bool is_number = key.type == KeyType::number || key.type == KeyType::whole || key.type == KeyType::pair;
  if (is_number && key.least > -kAnyNumber) return fmt::format("{} to {}", key.least, key.most);
  if (key.type == KeyType::duration) return fmt::format("{} to {} s", key.least, key.most);
  return "";
}

std::string ways_words(const FileKey& key) {
  std::vector<std::string> all;
  for (const std::string_view way : key.ways) {
    if (way != word_of(Show::text_and_trace, kShows)) all.push_back(fmt::format("a {}", way));
  }
  if (all.empty()) return "";
  const std::string last = all.back();
  all.pop_back();
  return all.empty() ? last : fmt::format("{} or {}", fmt::join(all, ", "), last);
}

std::string key_meaning(const FileKey& key) {
  const std::string whose = ways_words(key), values = values_words(key);
  const std::string more = whose + (whose.empty() || values.empty() ? "" : "; ") + values;
  if (more.empty()) return std::string(key.words);
  return key.words.empty() ? more : fmt::format("{} ({})", key.words, more);
}

std::string key_table(std::span<const FileKey> keys, std::string_view table, std::string_view prefix) {
  std::string text;
  for (const FileKey& key : keys) {
    if (key.table != table) continue;
    std::string_view usual = key.usual;
    if (usual.size() > 1 && usual.front() == '"') usual = usual.substr(1, usual.size() - 2);
    text += fmt::format("| `{}{}` | {} | {} |\n", prefix, key.name, key_meaning(key),
                        usual.empty() ? "" : fmt::format("`{}`", usual));
  }
  return text;
}

std::string full_name(const FileKey& key) {
  return key.table.empty() ? std::string(key.name) : fmt::format("{}.{}", key.table, key.name);
}

std::string plain_meaning(const FileKey& key) {
  std::string meaning = key_meaning(key);
  std::erase(meaning, '`');
  return meaning;
}

std::string key_list_text(std::span<const FileKey> keys, std::string_view table) {
  Table list({Table::Align::left, Table::Align::left, Table::Align::left});
  list.add({"key", "default", "meaning"});
  for (const FileKey& key : keys) {
    if (table.empty() || key.table == table) list.add({full_name(key), std::string(key.usual), plain_meaning(key)});
  }
  return list.text();
}

}  // namespace idlemeter
