// Idle Meter: the statistics of several spans of the same frames while they arrive.
#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <span>

#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_summary.hpp"

namespace idlemeter {

/// Spans that begin at different frames and end now, or at the frame at which they were held: all of a session, those
/// since the last clear, those of the recording. Each frame is held once, in four to eight bytes, in however many spans
/// it is. The figures equal, bit for bit, what summarize() says of the same frames.
///
/// One thread at a time. Moves, doesn't copy.
class FrameSpans {
 public:
  using Id = std::size_t;  ///< of a span: 0, 1, 2 … in the order of add_span()

  /// `most_frames`: a span that has so many is full: later frames are left out of it and counted, until it restarts.
  explicit FrameSpans(std::size_t most_frames = limits::kFramesOfSpan);
  FrameSpans(FrameSpans&&) noexcept;
  FrameSpans& operator=(FrameSpans&&) noexcept;
  ~FrameSpans();

  /// Another span, which begins with the next frame. Spans are few: each frame is counted in each.
  Id add_span();

  /// Adds the newest interval to all spans that aren't held; O(log n + spans). One that isn't a frame (see
  /// Summary::left_out) is only counted.
  void add(Nanoseconds interval);

  /// The span begins again with the next frame; or with the newest frames, which were added before, in their order.
  /// O(already * log n); now and then O(frames of an earlier span), some tens of milliseconds after hours of play.
  void restart(Id span, std::span<const Nanoseconds> already = {});

  /// The span takes no more frames until it restarts.
  void hold(Id span);

  /// The figures now; microseconds to a tenth of a millisecond, whatever the length of the span. Throws
  /// Error as summarize() does.
  [[nodiscard]] Summary summary(Id span, const SummaryRequest& request = {}) const;

  /// N of the span, without working out the rest.
  [[nodiscard]] std::uint64_t frames(Id span) const;

  /// Bytes held for the frames of all spans.
  [[nodiscard]] std::size_t memory() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace idlemeter
