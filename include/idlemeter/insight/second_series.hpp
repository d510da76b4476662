// Idle Meter: a run's frames and readings as one number for each second.
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {

/// One number for each second.
struct SecondSeries {
  ReadingInfo info;
  Moment begin{};                   ///< of the first second
  std::vector<double> values = {};  ///< the median of each second's numbers; of a second without one, that before it
};

/// The rate, the median frame time and the slowest hundredth of frame times ("frame.percentile@99%") of each second,
/// and the readings that have numbers, but for those about frames and the recording. Moments that go back are left out.
/// O(n).
[[nodiscard]] std::vector<SecondSeries> seconds_of(std::span<const FrameRecord> frames,
                                                   const std::vector<RunSeries>& series);

/// The same of a run in a store, in memory for the seconds alone: a day's log has many times as many values. Throws
/// Error as the store does.
[[nodiscard]] std::vector<SecondSeries> seconds_of(const Store& store, std::int64_t run);

}  // namespace idlemeter
