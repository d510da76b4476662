// Idle Meter: frames that took much longer than those around them.
#pragma once

#include <cstddef>
#include <span>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"

namespace idlemeter {

/// When a frame is a stutter. All conditions hold together.
struct StutterRule {
  double factor = 2;                      ///< longer than this many times the running median
  Nanoseconds excess = 8 * kMillisecond;  ///< and longer than it by more than this
  Nanoseconds window = kSecond;           ///< of play that the running median covers, with the frame in the middle
  Nanoseconds together = kSecond / 2;     ///< stutters with less between them are one hitch
};

struct Stutter {
  std::size_t frame = 0;  ///< its place among the frames, from 0
  Moment at{};            ///< when it was presented
  Nanoseconds length{};
  Nanoseconds lost{};  ///< beyond the running median
};

/// What a player feels as one interruption: a stutter, or several in short order.
struct Hitch {
  Moment begin{};        ///< of the first stutter: when the frame before it was presented
  Nanoseconds length{};  ///< to the end of the last
  std::size_t stutters = 0;
  Nanoseconds worst{};  ///< the longest frame
  Nanoseconds lost{};   ///< by all of its stutters
};

struct Stutters {
  std::vector<Stutter> frames;  ///< in order
  std::vector<Hitch> hitches;   ///< in order
  Nanoseconds time{};           ///< taken by the stutters
  Nanoseconds lost{};           ///< beyond the running median
  double share = 0;             ///< `time` of all play, 0 to 1
};

/// The stutters of a run. The running median of a frame is the median (as in summarize()) of the frames presented
/// within half a window of it, in time of play: pauses don't count. Frames over kLongestFrame and under 1 ns are
/// skipped. O(n), plus the frames of the window for each frame that comes close to being one.
[[nodiscard]] Stutters find_stutters(std::span<const FrameRecord> frames, const StutterRule& rule = {});

}  // namespace idlemeter
