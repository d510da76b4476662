// Idle Meter: something wrong with a text that a person wrote.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace idlemeter {

/// A mistake in a face or settings file, or advice about one.
struct Finding {
  enum class Severity : std::uint8_t { error, warning } severity = Severity::error;
  std::uint32_t line = 0, column = 0;  ///< from 1
  std::string message;                 ///< what is wrong and how to fix it

  /// A change that would put it right: to a key of the part in that line.
  struct Fix {
    std::string words;                 ///< "use gpu.temp"
    std::string key;                   ///< "reading"; of a table, "text.edge"
    std::optional<std::string> value;  ///< empty: without the key
  };
  std::optional<Fix> fix = {};  ///< empty if there is no one right answer
};

using Findings = std::vector<Finding>;

/// "bench.toml:4:9: error: unknown key 'anchr'; did you mean 'anchor'?"
[[nodiscard]] std::string to_string(const Finding& finding, std::string_view file);

}  // namespace idlemeter
