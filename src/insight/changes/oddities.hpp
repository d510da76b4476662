// What is odd about a single reading.
#pragma once

#include <vector>

#include "idlemeter/insight/changes.hpp"
#include "idlemeter/insight/stretches.hpp"

namespace idlemeter::insight {

/// Impossible values, spikes, and stretches in which it stands still, each in order of time. O(seconds).
[[nodiscard]] std::vector<OddStretch> oddities_in(const SecondSeries& one, const Noise& noise,
                                                  const ChangeRules& rules);

}  // namespace idlemeter::insight
