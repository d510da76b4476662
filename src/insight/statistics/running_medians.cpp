#include "insight/statistics/running_medians.hpp"

#include <algorithm>
#include <cmath>

#include "frames/median.hpp"

namespace idlemeter::insight {
namespace {

/// Replaces one number by another, and keeps the order.
void replace(std::vector<double>& sorted, double old, double next) {
  auto at = std::lower_bound(sorted.begin(), sorted.end(), old);
  for (; at + 1 != sorted.end() && at[1] < next; ++at) *at = at[1];
  for (; at != sorted.begin() && at[-1] > next; --at) *at = at[-1];
  *at = next;
}

}  // namespace

std::vector<double> running_medians(std::span<const double> series, std::size_t window) {
  std::vector<double> medians, sorted;
  medians.reserve(series.size());
  const std::size_t half = window / 2;
  std::size_t from = 0, to = 0;
  for (std::size_t i = 0; i < series.size(); ++i) {
    if (from + half < i && to < series.size() && to < i + half + 1) {
      replace(sorted, series[from++], series[to++]);
    } else {
      for (; to < std::min(series.size(), i + half + 1); ++to)
        sorted.insert(std::upper_bound(sorted.begin(), sorted.end(), series[to]), series[to]);
      for (; from + half < i; ++from) sorted.erase(std::lower_bound(sorted.begin(), sorted.end(), series[from]));
    }
    medians.push_back(sorted[sorted.size() / 2]);
  }
  return medians;
}

std::optional<double> median_if_far(std::span<const double> series, std::size_t at, std::size_t window, double reach) {
  const std::size_t half = window / 2, from = at - std::min(at, half), to = std::min(series.size(), at + half + 1);
  const double value = series[at];
  // If most numbers are within reach of it, the one in their middle is.
  std::size_t near = 0;
  for (std::size_t i = from; i < to && 2 * near <= to - from; ++i) near += std::abs(series[i] - value) <= reach ? 1 : 0;
  if (2 * near > to - from) return std::nullopt;
  std::vector<double> around(series.begin() + static_cast<std::ptrdiff_t>(from),
                             series.begin() + static_cast<std::ptrdiff_t>(to));
  const double median = frames::median_of(around);
  return std::abs(value - median) > reach ? std::optional(median) : std::nullopt;
}

std::vector<std::pair<std::size_t, double>> far_from_median(std::span<const double> series, std::size_t window,
                                                            double reach) {
  constexpr std::size_t kPart = 32;
  std::vector<std::pair<std::size_t, double>> far;
  for (std::size_t begin = 0; begin < series.size(); begin += kPart) {
    const std::size_t end = std::min(series.size(), begin + kPart), half = window / 2;
    // Where all numbers around are within reach of each other, none is far from a median of them.
    double least = series[begin], most = least;
    for (std::size_t i = begin - std::min(begin, half); i < std::min(series.size(), end + half); ++i) {
      least = std::min(least, series[i]);
      most = std::max(most, series[i]);
    }
    for (std::size_t i = begin; most - least > reach && i < end; ++i) {
      if (const auto median = median_if_far(series, i, window, reach)) far.emplace_back(i, *median);
    }
  }
  return far;
}

}  // namespace idlemeter::insight
