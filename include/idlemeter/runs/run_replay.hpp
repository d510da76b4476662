// Idle Meter: a recorded run, gone through again.
#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/computed_readings.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {

/// What was known at each moment of a run: the newest of every reading, and the statistics of the frames so far, as
/// while recording. The frames and readings go through LiveReadings, as they did then. Needs the store no longer than
/// it takes to be made. One thread at a time.
class RunReplay {
 public:
  /// Before the run's first frame. `ids`: statistics of frames beside the usual ones. Reads the whole run: O(frames +
  /// samples). Throws Error as the store does.
  RunReplay(const Store& store, std::int64_t run, const std::vector<std::string>& ids = {},
            const std::vector<ComputedReading>& computed = {});
  RunReplay(RunReplay&&) noexcept;
  RunReplay& operator=(RunReplay&&) noexcept;
  ~RunReplay();

  /// Advances to `at`; an earlier moment is ignored. O(frames and samples in between).
  void go_to(Moment at);

  /// Back before the first frame, without reading the run again.
  void restart();

  [[nodiscard]] const Snapshot& values() const;
  /// As long as a history is.
  [[nodiscard]] const History& history() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace idlemeter
