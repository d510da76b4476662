// Runs as tables.
#pragma once

#include <cstdint>
#include <map>
#include <string>
#include <vector>

#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/runs/run.hpp"

namespace idlemeter::cli {

/// Stands for a missing figure.
inline constexpr const char* kNone = "–";

/// What the user says of a run, on a line: its settings, tags and note.
std::string remarks_of(const RunInfo& run);

/// A line a run; with their sizes in bytes, if there are any.
std::string list_table(const std::vector<RunInfo>& runs, const std::map<std::int64_t, std::uint64_t>& sizes = {});

/// Which readings a table shows: `main` leaves out single cores and what stood still.
enum class Readings { main, all };

/// Which facts of a run a heading has: the machine's main ones in a line, or all of them, a line each.
enum class Facts { main, all };

/// The first lines about a run: number, game, date, settings, machine, note, tags.
std::string heading(const RunInfo& run, Facts facts = Facts::main);

/// The heads of columns for runs and their differences to the first, after an empty one: number and settings.
std::vector<std::string> run_titles(const std::vector<RunInsight>& runs);

/// "+12.3 %" of `value` against `base`.
std::string difference(double value, double base);

/// One run: its statistics by every definition, as rate and as frame time, then all its readings.
std::string statistics_table(const RunInsight& run);

/// Several runs (at least one) side by side, each after the first with its difference to it in percent.
std::string comparison_table(const std::vector<RunInsight>& runs, Readings readings);

}  // namespace idlemeter::cli
