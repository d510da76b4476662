// Sets of figures that the user has chosen.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "idlemeter/insight/figure_set.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/runs/store.hpp"
#include "idlemeter/settings/settings.hpp"

namespace idlemeter::cli {

/// A set saved in the settings under that name, or ids separated by commas. Throws Error if it is neither.
FigureSet figure_set(const std::string& choice, const Settings& settings);

/// What these runs say, with what the set needs, or with the usual figures.
std::vector<RunInsight> insights_of(const Store& store, const std::vector<std::int64_t>& ids, const FigureSet& set);
std::vector<RunInsight> insights_of(const Store& store, const std::vector<std::int64_t>& ids);

/// A line for each run and a column for each figure; the last column has the remarks.
std::string runs_by_figures(const std::vector<RunInsight>& runs, const FigureSet& set,
                            const std::vector<std::string>& remarks);

/// A line for each figure and a column for each run; runs after the first also show the difference in percent. The
/// doubts follow.
std::string figures_by_runs(const std::vector<RunInsight>& runs, const FigureSet& set);

}  // namespace idlemeter::cli
