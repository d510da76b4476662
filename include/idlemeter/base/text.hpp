// Texts in UTF-8.
#pragma once

#include <algorithm>
#include <string>
#include <string_view>
#include <vector>

namespace idlemeter {

/// True for the bytes of a character that aren't its first.
inline bool continues_character(char byte) { return (static_cast<unsigned char>(byte) & 0xC0) == 0x80; }

/// How many characters a text has.
inline std::size_t characters(std::string_view text) {
  return static_cast<std::size_t>(
      std::count_if(text.begin(), text.end(), [](char byte) { return !continues_character(byte); }));
}

/// With A to Z as a to z; other bytes stay.
[[nodiscard]] std::string lower_case(std::string_view text);

/// The text as it may go to a terminal, a log or a font: control characters (C0 but those in `keep`, DEL, C1),
/// characters that turn the direction of writing, and bytes that aren't UTF-8 each become U+FFFD. "a\x1b[2J" ->
/// "a�[2J". O(n).
[[nodiscard]] std::string printable(std::string_view text, std::string_view keep = "");

/// What stands between the separators, as often as there is something: "a,b" -> "a", "b"; an empty part at the end is
/// none.
[[nodiscard]] std::vector<std::string> split(const std::string& text, char separator);

/// One field of CSV (RFC 4180), in quotes if it needs them. Control characters but line ends become U+FFFD, and what a
/// spreadsheet would take for a formula gets an apostrophe; a number stays one.
[[nodiscard]] std::string csv_field(std::string_view text);

/// JSON that is as safe on a terminal as printable() text: the characters that printable() replaces, where RFC 8259
/// leaves them as they are (DEL, C1, line separators, turns of direction), as escapes. The same value when it is
/// parsed.
[[nodiscard]] std::string escaped_json(std::string_view json);

/// At most so many characters (>= 1), the last of them "…" if the text had more. `text` is valid UTF-8.
[[nodiscard]] std::string cut_to(std::string text, std::size_t most);

/// How many columns the text takes on a terminal: two for most Chinese and Japanese characters, none for a combining
/// accent (UAX #11). A byte that isn't UTF-8 takes one.
[[nodiscard]] std::size_t columns(std::string_view text);

/// At most so many columns (>= 1), the last of them "…" if the text had more. `text` is valid UTF-8.
[[nodiscard]] std::string cut_to_columns(std::string text, std::size_t most);

}  // namespace idlemeter
