// Idle Meter: the statistics of a span of frames while they arrive.
#pragma once

#include <cstddef>
#include <memory>

#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_summary.hpp"

namespace idlemeter {

/// The figures of a span that grows (all frames since the start or the last clear) or slides (those of the last while).
/// They equal, bit for bit, what summarize() says of the same frames.
///
/// One thread at a time. Moves, doesn't copy.
class LiveFrames {
 public:
  /// A span that grows: at most 16 bytes a frame. It is full at `most_frames`: later ones are left out and counted,
  /// until it is cleared.
  [[nodiscard]] static LiveFrames growing(std::size_t most_frames = limits::kFramesOfSpan);

  /// A span of the last `length` (> 0) of play: the newest frames, as many as are needed to fill it. Constant memory:
  /// it never holds more than `most_frames` (>= 1, default about a million: 10 s at 100,000 frames a second); beyond,
  /// the oldest leave.
  [[nodiscard]] static LiveFrames sliding(Nanoseconds length, std::size_t most_frames = std::size_t{1} << 20);

  LiveFrames(LiveFrames&&) noexcept;
  LiveFrames& operator=(LiveFrames&&) noexcept;
  ~LiveFrames();

  /// Adds the newest interval; O(log n), tens of nanoseconds. One that isn't a frame (see Summary::left_out) is only
  /// counted.
  void add(Nanoseconds interval);

  /// Forgets everything, also what was left out. The span keeps its kind and length.
  void clear();

  /// The figures now; microseconds, whatever the length of the span. Throws Error as summarize() does.
  [[nodiscard]] Summary summary(const SummaryRequest& request = {}) const;

  /// N of the span, without working out the rest.
  [[nodiscard]] std::uint64_t frames() const;

  /// T of the span.
  [[nodiscard]] Nanoseconds time() const;

  /// Bytes held for the frames of the span.
  [[nodiscard]] std::size_t memory() const;

 private:
  struct State;
  explicit LiveFrames(std::unique_ptr<State> state);
  std::unique_ptr<State> state_;
};

}  // namespace idlemeter
