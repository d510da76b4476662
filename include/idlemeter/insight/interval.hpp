// Idle Meter: how sure a figure of one run is.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_summary.hpp"

namespace idlemeter {

/// A figure of frame times.
struct Figure {
  enum class Kind : std::uint8_t { average, percentile, low } kind = Kind::average;
  double q = 0.5;                                             ///< of a percentile, 0 to 1
  Share share = {};                                           ///< of a low
  LowDefinition definition = LowDefinition::mean_of_slowest;  ///< of a low
};

/// Where the true figure lies with the chosen confidence, as frame times in nanoseconds; a rate is 1e9 / frame time, so
/// that its ends change places.
struct FigureInterval {
  double low = 0, high = 0;
};

struct IntervalOptions {
  double confidence = 0.95;  ///< above 0 and below 1
};

/// The interval of a figure, or the reason why it has none.
struct IntervalResult {
  std::optional<FigureInterval> interval;
  std::string reason = {};  ///< of none: "only 12 frames in the slowest 0.1%; at least 25 are needed"
};

/// Where the figure would lie if this stretch of play went on like this for long; not where the next run's lies.
///
/// The figure is seen as the mean of a series (its influence). The variance of that mean comes from how the series
/// varies along the run: the mean power of the six slowest cosines, with Student's t (the equal-weighted cosine
/// estimator of Lazarus, Lewis, Stock & Watson 2018). A share of frames is turned into its percentile's ends (Woodruff
/// 1952). Which figures, bounds and corrections: docs/statistics.md.
///
/// No interval if it would mislead: with fewer than 120 frames, with fewer than 25 beyond a percentile or in a low's
/// share, or if the slow cosines are much stronger than the others: then the level wanders as long as the run lasts.
/// Skips what isn't a frame. O(n log n). Throws Error (misuse) if an option, a share or a percentile is out of
/// its range.
[[nodiscard]] IntervalResult interval_of(std::span<const Nanoseconds> intervals, const Figure& figure,
                                         const IntervalOptions& options = {});

struct SureFigure {
  Figure figure;
  IntervalResult result;
};

/// The intervals of the average, the median, and the percentiles and lows of the request, in this order.
[[nodiscard]] std::vector<SureFigure> intervals_of(std::span<const Nanoseconds> intervals,
                                                   const SummaryRequest& request, const IntervalOptions& options = {});

}  // namespace idlemeter
