// Seconds in which a series is higher or lower than before and after.
#pragma once

#include <cstddef>
#include <vector>

#include "idlemeter/insight/changes.hpp"
#include "insight/statistics/measure.hpp"

namespace idlemeter::insight {

/// A brief change, and the numbers [begin, end) of the series that it holds for.
struct BriefChange {
  std::size_t begin = 0, end = 0;
  ReadingChange change;
};

/// Where the mean of five seconds is far from the running median, and the levels before and after are alike: for longer
/// than a spike, and no longer than `rules.longest_brief`. In order of time; none if there are so many that this is how
/// the series is. O(seconds).
[[nodiscard]] std::vector<BriefChange> brief_changes_in(const Measure& by);

}  // namespace idlemeter::insight
