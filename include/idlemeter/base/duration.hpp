// Idle Meter: lengths of time as people write them.
#pragma once

#include <optional>
#include <string_view>

#include "idlemeter/base/time.hpp"

namespace idlemeter {

/// Reads "500 ms", "2 s", "1 min", "1:30" (minutes and seconds); upper bound 1e6 of a unit. A plain number is in
/// `unit`; empty: a unit is required. Empty for anything else, and for less than zero.
[[nodiscard]] std::optional<Nanoseconds> duration_from(std::string_view text, std::string_view unit = {});

/// The same, and "8 h", "2d" as hours and days.
[[nodiscard]] std::optional<Nanoseconds> long_duration_from(std::string_view text, std::string_view unit = {});

}  // namespace idlemeter
