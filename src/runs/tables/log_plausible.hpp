// Whether what was guessed about a frame log can be right.
#pragma once

#include <string>
#include <vector>

#include "idlemeter/runs/frame_log.hpp"
#include "runs/tables/log_columns.hpp"

namespace idlemeter::runs {

/// Compares frame times, moments and rates with each other. `data`: the first lines as fields; `asked`: what wasn't
/// guessed. Throws Error that shows the line: the lines aren't frames, or a unit can't be right.
void expect_plausible(const std::vector<std::vector<std::string>>& data, const std::vector<std::string>& heading,
                      const LogPlan& plan, const FrameLogFormat& asked, const std::string& where);

}  // namespace idlemeter::runs
