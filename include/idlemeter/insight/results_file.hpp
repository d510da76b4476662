// Idle Meter: a line for each run in a file that spreadsheets read.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "idlemeter/insight/figure_set.hpp"
#include "idlemeter/insight/run_insight.hpp"

namespace idlemeter {

/// Appends a run to a CSV file (RFC 4180, UTF-8), made with a heading that names the units if it doesn't exist. The
/// line is written in one go, at the end, so that several programs may append, and a spreadsheet may have the file
/// open. `figures` instead of the usual ones. Throws Error if it can't be written, or is a file with another heading.
void append_result(const std::filesystem::path& file, const RunInsight& run, const FigureSet* figures = nullptr);

/// The same columns for all these runs, as a text: a heading and a line for each. Without `figures` the usual ones.
[[nodiscard]] std::string results_csv(const std::vector<RunInsight>& runs, const FigureSet* figures = nullptr);

}  // namespace idlemeter
