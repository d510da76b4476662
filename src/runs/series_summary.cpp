#include "idlemeter/runs/series_summary.hpp"

#include <algorithm>

#include "idlemeter/readings/reading.hpp"
#include "idlemeter/runs/run.hpp"

namespace idlemeter {

std::optional<SeriesSummary> summarize(const RunSeries& series) {
  SeriesSummary summary;
  for (const Value& value : series.values) {
    const auto n = number(value);
    if (!n) continue;
    ++summary.samples;
    summary.least = summary.samples == 1 ? *n : std::min(summary.least, *n);
    summary.most = summary.samples == 1 ? *n : std::max(summary.most, *n);
    summary.mean += (*n - summary.mean) / static_cast<double>(summary.samples);  // no large sum: Welford 1962
  }
  return summary.samples == 0 ? std::nullopt : std::optional(summary);
}

}  // namespace idlemeter
