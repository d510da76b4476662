// Idle Meter: faces to start from.
#pragma once

#include <span>
#include <string_view>

namespace idlemeter {

struct Starter {
  std::string_view name;     ///< "benchmark"
  std::string_view purpose;  ///< in one sentence
  std::string_view toml;     ///< the face file
};

/// rate, strip, benchmark, thermals, everything, dashboard.
[[nodiscard]] std::span<const Starter> starters();

/// nullptr if no starter has that name.
[[nodiscard]] const Starter* find_starter(std::string_view name);

}  // namespace idlemeter
