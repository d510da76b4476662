// What a series usually is around each of its numbers.
#pragma once

#include <cstddef>
#include <span>
#include <vector>

namespace idlemeter::insight {

/// The median of the window around each number: the number and half a window on both sides, fewer at the ends. O(n *
/// window), for the window is kept sorted as it moves on.
[[nodiscard]] std::vector<double> running_medians(std::span<const double> series, std::size_t window);

}  // namespace idlemeter::insight
