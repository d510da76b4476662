// Robust statistics.
#pragma once

#include <cmath>
#include <utility>
#include <vector>

#include "frames/median.hpp"

namespace idlemeter::insight {

/// The standard deviation of a normal distribution, as a multiple of the median distance from its median.
inline constexpr double kToDeviation = 1.4826;

/// The standard deviation of at least one number, by the median distance from their median.
[[nodiscard]] inline double deviation_of(std::vector<double> numbers) {
  const double middle = frames::median_of(numbers);
  for (double& one : numbers) one = std::abs(one - middle);
  return kToDeviation * frames::median_of(numbers);
}

}  // namespace idlemeter::insight
