// Idle Meter: how sure a figure of one run is.
#pragma once

#include <cstdint>
#include <functional>
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
  double block = 1;  ///< mean length of the blocks that were drawn, in frames
};

struct IntervalOptions {
  double confidence = 0.95;  ///< above 0 and below 1
  int resamples = 1000;      ///< at least 100; time grows with it
  std::uint64_t seed = 1;    ///< the same seed gives the same interval
  /// Called now and then with the share that is done; false gives up.
  std::function<bool(double)> progress = {};
};

/// The interval of a figure, or why there is none.
struct IntervalResult {
  std::optional<FigureInterval> interval;
  std::string reason = {};  ///< of none: "only 12 frames in the slowest 0.1%; at least 25 are needed"
};

/// By the stationary bootstrap (Politis & Romano 1994), because frames depend on their neighbours: resamples of blocks
/// of geometrically distributed length, whose mean is chosen from the autocorrelation of the figure's influence
/// (Politis & White 2004, as corrected by Patton, Politis & White 2009); percentiles of the resampled figures are the
/// ends, corrected as docs/statistics.md says.
///
/// No interval if it wouldn't be honest: with fewer than 25 frames beyond a percentile or in a low's share, or fewer
/// than 25 blocks in the run. Intervals that aren't frames are left out. O(resamples * n). Throws
/// std::invalid_argument if an option, a share or a percentile is out of its range.
[[nodiscard]] IntervalResult interval_of(std::span<const Nanoseconds> intervals, const Figure& figure,
                                         const IntervalOptions& options = {});

struct SureFigure {
  Figure figure;
  IntervalResult result;
};

/// The intervals of the average, the median, and the percentiles and lows of the request, in this order.
[[nodiscard]] std::vector<SureFigure> intervals_of(std::span<const Nanoseconds> intervals,
                                                   const SummaryRequest& request, const IntervalOptions& options = {});

/// The mean block length for the mean of that series, in elements; 1 to a third of its length. O(n^1.5).
[[nodiscard]] double block_length_for(std::span<const double> series);

}  // namespace idlemeter
