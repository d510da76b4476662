// Runs as tables.
#pragma once

#include <string>
#include <vector>

#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/runs/run.hpp"

namespace idlemeter::cli {

/// A line a run.
std::string list_table(const std::vector<RunInfo>& runs);

/// Which readings a table shows: `main` leaves out single cores and what stood still.
enum class Readings { main, all };

/// The first lines about a run: number, game, date, settings, machine, note, tags.
std::string heading(const RunInfo& run);

/// One run: its statistics by every definition, as rate and as frame time, then all its readings.
std::string statistics_table(const RunInsight& run);

/// Several runs (at least one) side by side, each after the first with its difference to it in percent.
std::string comparison_table(const std::vector<RunInsight>& runs, Readings readings);

}  // namespace idlemeter::cli
