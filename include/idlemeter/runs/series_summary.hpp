// Idle Meter: a reading over a run, in four numbers.
#pragma once

#include <cstddef>
#include <optional>

#include "idlemeter/runs/run.hpp"

namespace idlemeter {

/// Of the samples that have a number; in the reading's unit.
struct SeriesSummary {
  double mean = 0;  ///< over samples, which come at a steady pace
  double least = 0;
  double most = 0;
  std::size_t samples = 0;

  void add(double value);
};

/// Empty if no sample has a number. O(samples).
[[nodiscard]] std::optional<SeriesSummary> summarize(const RunSeries& series);

}  // namespace idlemeter
