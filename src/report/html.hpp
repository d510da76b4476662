// Text and tables as HTML.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

namespace idlemeter::report {

/// Text as HTML: "a < b" -> "a &lt; b"; control characters and those that turn the direction of writing become U+FFFD.
[[nodiscard]] std::string html(std::string_view text);

struct Cell {
  std::string content;  ///< HTML
  enum class Kind : std::uint8_t { text, number, words, row_head } kind = Kind::text;
};

/// A row of a table's body, and the heading of one. Numbers are aligned to the right, words get room.
[[nodiscard]] std::string row(const std::vector<Cell>& cells);
[[nodiscard]] std::string head(const std::vector<Cell>& cells);

/// A table that scrolls by itself where the page is too narrow for it; by keyboard too. `label` is text.
[[nodiscard]] std::string table(const std::string& label, const std::string& head, const std::string& rows);

/// A part of the page with a heading, to link to.
[[nodiscard]] std::string section(const char* id, const char* title, const std::string& content);

/// Each line is HTML. Empty without lines.
[[nodiscard]] std::string list(const char* style, const std::vector<std::string>& lines);

}  // namespace idlemeter::report
