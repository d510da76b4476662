// Idle Meter: what changed during a run as JSON.
#pragma once

#include <string>
#include <vector>

#include "idlemeter/insight/changes.hpp"
#include "idlemeter/insight/runs_during.hpp"

namespace idlemeter {

/// An object with changes and oddities, and what was played meanwhile if there is anything.
[[nodiscard]] std::string changes_json(const Changes& changes, const std::vector<RunMeanwhile>& meanwhile = {});

}  // namespace idlemeter
