// Idle Meter: numbers of runs as people write them.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

namespace idlemeter {

/// "1-5,7" as numbers, in this order. Throws Error if it isn't such a list, or spans more than ten thousand.
[[nodiscard]] std::vector<std::int64_t> run_list(const std::string& text);

/// Several lists, one after the other.
[[nodiscard]] std::vector<std::int64_t> run_lists(const std::vector<std::string>& texts);

}  // namespace idlemeter
