// What insight_of() does once a run's details are read.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "idlemeter/insight/run_insight.hpp"

namespace idlemeter::insight {

/// Works out the insight of a run with these details, which may be a removed one.
RunInsight work_out(const Store& store, RunInfo run, const InsightOptions& options);

/// Drops readings that aren't wanted. Empty: all are.
void choose_readings(std::vector<ReadingInsight>& readings, const std::optional<std::vector<std::string>>& wanted);

}  // namespace idlemeter::insight
