// Figures of runs as tables.
#pragma once

#include <string>
#include <vector>

#include "idlemeter/insight/figure_set.hpp"
#include "idlemeter/insight/run_insight.hpp"

namespace idlemeter::cli {

/// A line for each run and a column for each figure; the last column has the remarks.
std::string runs_by_figures(const std::vector<RunInsight>& runs, const FigureSet& set,
                            const std::vector<std::string>& remarks);

/// A line for each figure and a column for each run; runs after the first also show the difference in percent. The
/// doubts follow.
std::string figures_by_runs(const std::vector<RunInsight>& runs, const FigureSet& set);

}  // namespace idlemeter::cli
