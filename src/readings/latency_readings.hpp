// How late frames are, as readings.
#pragma once

#include <cstdint>
#include <deque>
#include <memory>
#include <utility>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/frame_latency.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter::readings {

/// What the latencies are that a run keeps: frame.latency and frame.screen.latency.
[[nodiscard]] std::vector<ReadingInfo> newest_latencies();

/// frame.latency         from the start of a frame's work on the processor to the end of the GPU's work on it
/// frame.screen.latency  from the same start to its picture on the screen
///
/// Each as the mean of the last half second, and as `….average` since the last clear(). One thread at a time.
class LatencyReadings {
 public:
  void add(const FrameLatency& latency);
  void clear();

  /// The two of the last half second: missing if no frame of the last second has one.
  [[nodiscard]] std::shared_ptr<const Batch> newest(Moment now) const;
  [[nodiscard]] std::shared_ptr<const Batch> averages(Moment now) const;

 private:
  struct Latency {
    std::deque<std::pair<Moment, Nanoseconds>> recent = {};
    Nanoseconds sum{};
    std::int64_t count = 0;

    void add(Moment at, Nanoseconds latency);
  };

  Latency gpu_, screen_;
};

}  // namespace idlemeter::readings
