// Idle Meter: a recorded run as it stood at a moment.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/computed_readings.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {

struct RunMoment {
  Snapshot values;  ///< the newest of every reading, and the statistics of the frames so far, as while recording
  History history;  ///< up to the moment, as long as a history is
};

/// The run at that moment of it, or at its end if that is earlier. `ids`: statistics of frames beside the
/// usual ones. Reads the whole run: O(frames + samples * readings). Throws Error as the store does.
[[nodiscard]] RunMoment moment_of(const Store& store, std::int64_t run, Moment at,
                                  const std::vector<std::string>& ids = {},
                                  const std::vector<ComputedReading>& computed = {});

}  // namespace idlemeter
