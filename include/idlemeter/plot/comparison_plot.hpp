// Idle Meter: groups of runs as bars.
#pragma once

#include <string>

#include "idlemeter/insight/compare.hpp"
#include "idlemeter/plot/plot.hpp"

namespace idlemeter {

/// A panel for each figure, a bar for each group: its mean and the interval of that.
[[nodiscard]] BarPlot comparison_plot(const Comparison& comparison, const DifferenceRules& rules,
                                      const std::string& title);

}  // namespace idlemeter
