// What both ways of holding frames (all at once, as they arrive) answer, and the figures computed from it.
#pragma once

#include <cstdint>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_summary.hpp"

namespace idlemeter::frames {

__extension__ typedef __int128 Int128;  // sums of nanoseconds times parts per million

/// The k slowest frames.
struct Tail {
  Nanoseconds kth{};  ///< frame time of the fastest among them
  Nanoseconds sum{};  ///< of all k
};

/// Frames seen from the slowest end.
class TailView {
 public:
  virtual ~TailView() = default;

  /// Of at least one frame.
  [[nodiscard]] virtual Nanoseconds shortest() const = 0;

  /// 1 <= k <= number of frames.
  [[nodiscard]] virtual Tail slowest(std::uint64_t k) const = 0;

  /// The frame at which the slowest, longest first, reach `time`; 0 < time <= total.
  [[nodiscard]] virtual Nanoseconds reaching(Nanoseconds time) const = 0;
};

/// What is known of the frames by counting along.
struct Totals {
  std::uint64_t frames = 0;
  std::uint64_t left_out = 0;
  Nanoseconds time{};
  Nanoseconds steps{};  ///< sum of |t[i] - t[i-1]|, N - 1 of them
};

/// True if the interval counts as a frame.
constexpr bool is_frame(Nanoseconds interval) { return interval > Nanoseconds{} && interval <= kLongestFrame; }

/// Throws Error (misuse) if a share or a percentile is out of its range.
[[nodiscard]] Summary figures(const TailView& view, const Totals& totals, const SummaryRequest& request);

}  // namespace idlemeter::frames
