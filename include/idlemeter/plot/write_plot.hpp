// Idle Meter: plots as pictures.
#pragma once

#include <filesystem>

#include "idlemeter/plot/plot.hpp"

namespace idlemeter {

/// Writes a PNG, or an SVG if the file's name ends with .svg, in one step. Throws Error if gnuplot isn't installed or
/// fails, or the file can't be written.
void write_plot(const Plot& plot, const std::filesystem::path& file);
void write_plot(const BarPlot& plot, const std::filesystem::path& file);

}  // namespace idlemeter
