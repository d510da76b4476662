// What the command prints as JSON. Only json.cpp knows the library.
#pragma once

#include <string>
#include <vector>

#include "idlemeter/insight/figure_set.hpp"
#include "idlemeter/insight/interval.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/run.hpp"
#include "ranges.hpp"
#include "run_tables.hpp"

namespace idlemeter::cli {

/// An array, over several lines.
std::string readings_json(const std::vector<Snapshot::Entry>& entries, const Ranges& ranges);

/// An object with the time, in one line.
std::string timed_readings_json(const std::vector<Snapshot::Entry>& entries, const Ranges& ranges, double seconds);

/// An array of runs as a list shows them.
std::string runs_json(const std::vector<RunInfo>& runs);

/// Everything of one run, or an array of several; units are in the names.
/// All that is known of runs: an object for one, an array for several. `intervals`: of each, or none.
std::string figures_json(const std::vector<RunInsight>& runs, const FigureSet& set);
std::string insight_json(const std::vector<RunInsight>& runs, const std::vector<std::vector<SureFigure>>& intervals);

}  // namespace idlemeter::cli
