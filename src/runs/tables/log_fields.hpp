// The fields of a table's line.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace idlemeter::runs {

[[nodiscard]] constexpr bool is_blank(char c) { return c == ' ' || c == '\t'; }

/// Without blanks at its ends.
[[nodiscard]] std::string_view trimmed(std::string_view text);

/// The fields of a line between delimiters; one in quotes without them. False if a quote isn't closed. The views are
/// of the line, or of `unquoted`.
bool fields_of(std::string_view line, char delimiter, std::vector<std::string_view>& fields, std::string& unquoted);

}  // namespace idlemeter::runs
