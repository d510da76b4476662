// What a series usually is around each of its numbers.
#pragma once

#include <cstddef>
#include <optional>
#include <span>
#include <utility>
#include <vector>

namespace idlemeter::insight {

/// The median of the window around each number: the number and half a window on both sides, fewer at the ends. O(n *
/// window), for the window is kept sorted as it moves on.
[[nodiscard]] std::vector<double> running_medians(std::span<const double> series, std::size_t window);

/// The same at one place if its number is farther than `reach` from it; empty if not, which is seen without it.
[[nodiscard]] std::optional<double> median_if_far(std::span<const double> series, std::size_t at, std::size_t window,
                                                  double reach);

/// The same for a whole series: the places of such numbers, and the medians there.
[[nodiscard]] std::vector<std::pair<std::size_t, double>> far_from_median(std::span<const double> series,
                                                                          std::size_t window, double reach);

}  // namespace idlemeter::insight
