#include "idlemeter/runs/series_summary.hpp"

#include <algorithm>

#include "idlemeter/readings/reading.hpp"
#include "idlemeter/runs/run.hpp"

namespace idlemeter {

void SeriesSummary::add(double value) {
  least = samples == 0 ? value : std::min(least, value);
  most = samples == 0 ? value : std::max(most, value);
  ++samples;
  mean += (value - mean) / static_cast<double>(samples);  // no large sum: Welford 1962
}

std::optional<SeriesSummary> summarize(const RunSeries& series) {
  SeriesSummary summary;
  for (const Value& value : series.values) {
    if (const auto n = number(value)) summary.add(*n);
  }
  return summary.samples == 0 ? std::nullopt : std::optional(summary);
}

}  // namespace idlemeter
