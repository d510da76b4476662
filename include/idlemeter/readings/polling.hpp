// Idle Meter: asks sources in the caller's own thread and on the caller's clock.
#pragma once

#include <memory>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/source.hpp"

namespace idlemeter {

/// Asks sources in the caller's thread, on the caller's clock: for a recording on a virtual clock, for tests, for one
/// look. One thread at a time.
class Polling {
 public:
  explicit Polling(Sources sources);
  ~Polling();

  /// Samples every source once.
  [[nodiscard]] Snapshot sample(Moment now);

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace idlemeter
