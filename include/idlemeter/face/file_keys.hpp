// Idle Meter: the keys that a file of ours may have, for checks, forms and documents.
#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace idlemeter {

/// The largest number that a file may hold; a key with this limit has none of its own.
inline constexpr double kAnyNumber = 1e15;

enum class KeyType : std::uint8_t {
  text,
  reading,   ///< the id of one
  file,      ///< a name
  flag,      ///< true or false
  number,    ///< from `least` to `most`
  whole,     ///< likewise, without a fraction
  color,     ///< "#rrggbb" or "#rrggbbaa", or one of the choices
  choice,    ///< one of the choices
  choices,   ///< an array of choices
  unit,      ///< the symbol of one
  span,      ///< what statistics of frames cover, as span_from() reads it
  duration,  ///< "500 ms", from `least` to `most` seconds
  pair,      ///< two numbers, each from `least` to `most`
  numbers,   ///< an array, each from `least` to `most`
  texts,     ///< an array
  chord,     ///< a combination of keys, like "Ctrl+Alt+O"
  named      ///< a table in which any key is right
};

/// A key in a table of a file.
struct FileKey {
  std::string_view table;  ///< "" at the top, "place", "row", "cell" …
  std::string_view name;
  KeyType type = KeyType::text;
  std::string_view words = {};  ///< what the key does
  std::string_view usual = {};  ///< the default, as the file would say it; empty: none
  double least = -kAnyNumber, most = kAnyNumber;
  std::vector<std::string_view> choices = {};
  std::vector<std::string_view> ways = {};  ///< of a cell: the values of "as" that have it; empty: all
};

/// All keys of a face file; a pin has those of a cell too.
[[nodiscard]] const std::vector<FileKey>& face_keys();

/// Finds a table's key by its name. Returns nullptr if the table has no such key.
[[nodiscard]] const FileKey* find_key(std::span<const FileKey> keys, std::string_view table, std::string_view name);

/// The values that a key accepts: "4 to 400", "`left`, `centre`, `right`". Empty if any value of its type will do.
[[nodiscard]] std::string values_words(const FileKey& key);

/// "a trace, a ring or a reel": what may have the key; "" if it isn't of some ways only.
[[nodiscard]] std::string ways_words(const FileKey& key);

/// What it does, what may have it, and its values, in one line of Markdown.
[[nodiscard]] std::string key_meaning(const FileKey& key);

/// The keys of a table as lines of a Markdown table: `prefix` and name, meaning, default.
[[nodiscard]] std::string key_table(std::span<const FileKey> keys, std::string_view table,
                                    std::string_view prefix = "");

/// Keys with their default and meaning, a line each below a heading: of one table, or of all if it is empty.
[[nodiscard]] std::string key_list_text(std::span<const FileKey> keys, std::string_view table = {});

/// "pace", "keys.show": a key as commands name it.
[[nodiscard]] std::string full_name(const FileKey& key);

/// What it does and its values, without the marks of Markdown.
[[nodiscard]] std::string plain_meaning(const FileKey& key);

/// The JSON Schema of face files (draft 7), for editors.
[[nodiscard]] std::string face_schema();

}  // namespace idlemeter
