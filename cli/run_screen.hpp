// One run on one screen: what people quote, and whether to trust it.
#pragma once

#include <string>
#include <vector>

#include "idlemeter/insight/interval.hpp"
#include "idlemeter/insight/run_insight.hpp"

namespace idlemeter::cli {

/// Average, lows, median, longest frame; stutters, limit, heat, clocks and power in a line each; doubts; the worst
/// hitches. `intervals`: of the figures of screen_request(), or none.
std::string run_screen(const RunInsight& run, const std::vector<SureFigure>& intervals);

/// The figures that the screen shows.
SummaryRequest screen_request();

}  // namespace idlemeter::cli
