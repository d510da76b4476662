// Runs as tables.
#pragma once

#include <string>
#include <vector>

#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/series_summary.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter::cli {

/// A run with all that is computed of it.
struct RunFigures {
  RunInfo info;
  Summary summary;
  std::vector<std::pair<ReadingInfo, SeriesSummary>> readings;
};

/// Reads and computes. Throws Error if the run isn't there.
RunFigures figures_of(const Store& store, std::int64_t id);

/// A line a run.
std::string list_table(const std::vector<RunInfo>& runs);

/// Which readings a table shows: `main` leaves out single cores and what stood still.
enum class Readings { main, all };

/// One run: its statistics as rate and as frame time, then its readings.
std::string run_table(const RunFigures& run, Readings readings);

/// Several runs (at least one) side by side, each after the first with its difference to it in percent.
std::string comparison_table(const std::vector<RunFigures>& runs, Readings readings);

}  // namespace idlemeter::cli
