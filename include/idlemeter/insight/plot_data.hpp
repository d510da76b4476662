// Idle Meter: frames as the lines of plots.
#pragma once

#include <cstddef>
#include <span>
#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/runs/run.hpp"

namespace idlemeter {

struct PlotPoint {
  double x = 0, y = 0;

  friend bool operator==(const PlotPoint&, const PlotPoint&) = default;
};

/// Frame times in milliseconds over the time since the run's start in seconds, at most four points for each
/// column of pixels: its first, shortest, longest and last frame, so that no spike is hidden. O(frames).
[[nodiscard]] std::vector<PlotPoint> frame_time_line(std::span<const FrameRecord> frames, std::size_t columns);

/// The same of points that rise in x: of a reading over a day, or the rate of each second. O(points).
[[nodiscard]] std::vector<PlotPoint> thinned(std::span<const PlotPoint> points, std::size_t columns);

/// Frames over time of each second of play, at its middle. Seconds without a frame have none.
[[nodiscard]] std::vector<PlotPoint> frame_rate_line(std::span<const FrameRecord> frames);

/// How far a distribution is worth drawing, in milliseconds: a little beyond all but the slowest half percent; at least
/// 1.
[[nodiscard]] double distribution_reach(std::span<const FrameRecord> frames);

/// The share of frames in percent (y) by frame time in milliseconds (x, the middle of a bin), in `bins` bins (>= 1) up
/// to `most` milliseconds; longer frames are in the last one.
[[nodiscard]] std::vector<PlotPoint> distribution(std::span<const FrameRecord> frames, double most, std::size_t bins);

/// Percentiles of frame time: x is 0 to 100, denser towards 100, up to the highest that the frames allow; y
/// milliseconds.
[[nodiscard]] std::vector<PlotPoint> percentile_curve(std::span<const FrameRecord> frames);

/// A reading's numbers over time; missing ones are left out.
[[nodiscard]] std::vector<PlotPoint> reading_line(const RunSeries& series);

}  // namespace idlemeter
