// Idle Meter: a run's frames and readings as one number for each second.
#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {

/// Seconds without a number.
struct SecondGap {
  std::size_t before = 0;   ///< the number that follows it
  std::size_t seconds = 0;  ///< how long it is
};

/// One number for each second.
struct SecondSeries {
  ReadingInfo info;
  Moment begin{};  ///< of the first second
  /// The median of each second's numbers. Of up to ten seconds without one it is the number before; longer pauses have
  /// no numbers, unless the series has a number only now and then.
  std::vector<double> values = {};
  std::vector<SecondGap> gaps = {};  ///< in order

  /// When that second begins. O(gaps).
  [[nodiscard]] Moment moment(std::size_t value) const;
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
