// Cells that the tables of runs share.
#pragma once

#include <string>
#include <vector>

#include "idlemeter/insight/run_insight.hpp"

namespace idlemeter::insight {

/// Stands for a missing figure.
inline constexpr const char* kNoFigure = "–";

/// The heads of columns for runs and their differences to the first, after `row`: number and settings.
std::vector<std::string> run_titles(const std::vector<RunInsight>& runs, std::vector<std::string> row);

/// "+12.3 %" of `value` against `base`.
std::string percent_against(double value, double base);

}  // namespace idlemeter::insight
