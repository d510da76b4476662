// Idle Meter: where a recording goes.
#pragma once

#include <span>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter {

/// Takes the frames and readings of a run as they come. `Moment{}` is the start of the run.
class RunSink {
 public:
  virtual ~RunSink() = default;

  virtual void add(std::span<const FrameRecord> frames) = 0;
  virtual void add(Moment at, const Snapshot& values) = 0;
};

}  // namespace idlemeter
