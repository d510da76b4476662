// Idle Meter: frames as readings: `frame.rate`, `frame.time`, `frame.low@1%` and so on.
#pragma once

#include <deque>
#include <memory>

#include "idlemeter/live_frames.hpp"
#include "idlemeter/reading.hpp"
#include "idlemeter/store.hpp"

namespace idlemeter {

/// Turns the frames of a game into readings, over the span that a face asks for.
///
/// frame.rate    frames over time of the last half second: a rate that the eye can follow
/// frame.time    the newest interval
/// frame.gpu     how long the GPU worked on the newest frame
/// frame.average, frame.min, frame.max, frame.low@1% (0.2%, 0.1%), frame.percentile@95% (99%): of the span
///
/// One thread at a time.
class FrameReadings {
 public:
  /// `span` is what the statistics cover.
  explicit FrameReadings(LiveFrames span);

  void add(const FrameRecord& frame);

  /// Begins the span anew.
  void clear() { span_.clear(); }

  /// The readings now, to go into a snapshot.
  [[nodiscard]] std::shared_ptr<const Batch> batch(Nanoseconds now) const;

  [[nodiscard]] const LiveFrames& span() const { return span_; }

 private:
  LiveFrames span_;
  LiveFrames recent_;
  FrameRecord newest_;
};

/// What these readings are, without values.
[[nodiscard]] std::shared_ptr<const ReadingList> frame_reading_list();

}  // namespace idlemeter
