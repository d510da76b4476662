// Idle Meter: runs and their figures as JSON. Units are in the names.
#pragma once

#include <string>
#include <vector>

#include "idlemeter/insight/figure_set.hpp"
#include "idlemeter/insight/interval.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/runs/run.hpp"

namespace idlemeter {

/// An array of runs as a list shows them.
[[nodiscard]] std::string runs_json(const std::vector<RunInfo>& runs);

/// An array of runs with these figures and the doubts about each.
[[nodiscard]] std::string figures_json(const std::vector<RunInsight>& runs, const FigureSet& set);

/// All that is known of runs: an object for one, an array for several. `intervals`: of each, or none.
[[nodiscard]] std::string insight_json(const std::vector<RunInsight>& runs,
                                       const std::vector<std::vector<SureFigure>>& intervals);

}  // namespace idlemeter
