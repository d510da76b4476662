// The rules by which a run's figures are doubted.
#pragma once

#include <vector>

#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/runs/run.hpp"

namespace idlemeter::insight {

/// By everything else in the insight, the most important first.
/// `series`: at least those that are_doubts_in().
std::vector<Doubt> doubts_about(const RunInsight& insight, const std::vector<RunSeries>& series);

/// Whether doubts_about() looks into the reading.
bool are_doubts_in(const ReadingInfo& info);

}  // namespace idlemeter::insight
