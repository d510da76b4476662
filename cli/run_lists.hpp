// Numbers of runs as people write them.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "arguments.hpp"

namespace idlemeter::cli {

/// "1-5,7" as numbers. Throws Error if it isn't such a list.
std::vector<std::int64_t> run_list(const std::string& text);

/// Several lists, one after the other.
std::vector<std::int64_t> run_lists(const std::vector<std::string>& texts);

/// Whether an argument is a list.
Check is_run_list();

}  // namespace idlemeter::cli
