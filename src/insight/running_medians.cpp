#include "insight/running_medians.hpp"

#include <algorithm>

namespace idlemeter::insight {

std::vector<double> running_medians(std::span<const double> series, std::size_t window) {
  std::vector<double> medians, sorted;
  medians.reserve(series.size());
  const std::size_t half = window / 2;
  std::size_t from = 0, to = 0;
  for (std::size_t i = 0; i < series.size(); ++i) {
    for (; to < std::min(series.size(), i + half + 1); ++to)
      sorted.insert(std::upper_bound(sorted.begin(), sorted.end(), series[to]), series[to]);
    for (; from + half < i; ++from) sorted.erase(std::lower_bound(sorted.begin(), sorted.end(), series[from]));
    medians.push_back(sorted[sorted.size() / 2]);
  }
  return medians;
}

}  // namespace idlemeter::insight
