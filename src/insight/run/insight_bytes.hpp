// A run's insight as bytes, to keep.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "idlemeter/insight/run_insight.hpp"

namespace idlemeter::insight {

/// Everything but the run's own details (RunInsight::info) and its hitches.
std::string bytes_of(const RunInsight& insight);

/// What bytes_of() made, with these readings; empty: all. Empty if the bytes are something else: they
/// come out of a file that may be anybody's.
std::optional<RunInsight> insight_from(std::string_view bytes, const std::optional<std::vector<std::string>>& readings);

}  // namespace idlemeter::insight
