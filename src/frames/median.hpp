#pragma once

#include <algorithm>
#include <vector>

namespace idlemeter::frames {

/// percentile 0.5 of at least one value: of an even number, the mean of the two in the middle. Reorders them.
template <typename T>
T median_of(std::vector<T>& values) {
  const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
  std::nth_element(values.begin(), middle, values.end());
  if (values.size() % 2 != 0) return *middle;
  return (*middle + *std::max_element(values.begin(), middle)) / 2;
}

}  // namespace idlemeter::frames
