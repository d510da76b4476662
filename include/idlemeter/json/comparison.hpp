// Idle Meter: a comparison of groups of runs as JSON.
#pragma once

#include <string>

#include "idlemeter/insight/compare.hpp"

namespace idlemeter {

/// An object with groups, figures, doubts and what else differs.
[[nodiscard]] std::string comparison_json(const Comparison& comparison);

}  // namespace idlemeter
