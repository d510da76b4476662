// Idle Meter: something wrong with a text that a person wrote.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

namespace idlemeter {

/// A mistake in a face or settings file, or advice about one.
struct Finding {
  enum class Severity : std::uint8_t { error, warning } severity = Severity::error;
  std::uint32_t line = 0, column = 0;  ///< from 1
  std::string message;                 ///< what is wrong and how to fix it
};

using Findings = std::vector<Finding>;

/// "bench.toml:4:9: error: unknown key 'anchr'; did you mean 'anchor'?"
[[nodiscard]] std::string to_string(const Finding& finding, std::string_view file);

}  // namespace idlemeter
