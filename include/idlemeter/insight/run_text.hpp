// Idle Meter: runs as text for people: a list, one run on a screen, several side by side.
#pragma once

#include <cstddef>
#include <cstdint>
#include <map>
#include <string>
#include <vector>

#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/insight/figure_set.hpp"
#include "idlemeter/insight/interval.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/runs/run.hpp"

namespace idlemeter {

/// What the user says of a run, on a line: its settings, tags and note; also that it is damaged or not finished.
[[nodiscard]] std::string run_remarks(const RunInfo& run);

/// A line for each run, below a heading. Shows a column of sizes if `sizes` (bytes by run) isn't empty.
[[nodiscard]] std::string run_list_text(const std::vector<RunInfo>& runs,
                                        const std::map<std::int64_t, std::uint64_t>& sizes = {});

/// Which facts of a run a heading has: the machine's main ones in a line, or all of them, a line each.
enum class RunFacts : std::uint8_t { main, all };

/// The first lines about a run: number, game, date, settings, machine, note, tags.
[[nodiscard]] std::string run_heading(const RunInfo& run, RunFacts facts = RunFacts::main);

/// The figures that run_screen() shows.
[[nodiscard]] SummaryRequest screen_request();

/// One run on one screen: average, lows, median, longest frame; stutters, limit, heat, clocks and power in a line each;
/// doubts; the worst hitches. `intervals`: of the figures of screen_request(), or none.
[[nodiscard]] std::string run_screen(const RunInsight& run, const std::vector<SureFigure>& intervals = {});

/// One run: its statistics by every definition, as rate and as frame time, then all its readings.
[[nodiscard]] std::string run_statistics_text(const RunInsight& run);

/// Which readings a table has: `main` leaves out single cores and what stood still.
enum class ReadingChoice : std::uint8_t { main, all };

/// Runs next to each other, and how many readings were left out.
struct SideBySide {
  std::string text;
  std::size_t left_out = 0;
};

/// Several runs (at least one) side by side, each after the first with its difference to it in percent.
[[nodiscard]] SideBySide runs_side_by_side(const std::vector<RunInsight>& runs, ReadingChoice readings);

/// A line for each run and a column for each figure; the last column has the remarks.
[[nodiscard]] std::string runs_by_figures(const std::vector<RunInsight>& runs, const FigureSet& set,
                                          const std::vector<std::string>& remarks);

/// A line for each figure and a column for each run; runs after the first also show the difference in percent. The
/// doubts follow.
[[nodiscard]] std::string figures_by_runs(const std::vector<RunInsight>& runs, const FigureSet& set);

}  // namespace idlemeter
