// Plots as scripts for gnuplot, with their data.
#pragma once

#include <filesystem>
#include <string>

#include "idlemeter/plot/plot.hpp"

namespace idlemeter::plot {

/// A script that draws the plot into that file, a PNG or an SVG by its name.
[[nodiscard]] std::string script_of(const Plot& plot, const std::filesystem::path& file);

/// Panels beside each other, in two rows if they are many; groups are told apart by colour, and named above.
[[nodiscard]] std::string script_of(const BarPlot& plot, const std::filesystem::path& file);

}  // namespace idlemeter::plot
