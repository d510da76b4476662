// How often an overlay that takes long to draw is drawn.
#pragma once

#include <algorithm>

#include "idlemeter/base/time.hpp"

namespace idlemeter::meter {

/// Leaves the loop four fifths of its time, so that it beats and takes frames whatever the faces cost: a drawing of 50
/// ms is followed by 200 ms without one. One thread at a time.
class DrawPace {
 public:
  [[nodiscard]] bool is_due(Moment now) const { return now >= due_; }

  /// A drawing began and ended then.
  void drew(Moment begin, Moment end) { due_ = end + kRest * std::max(Nanoseconds{}, end - begin - kFree); }

 private:
  static constexpr int kRest = 4;
  static constexpr Nanoseconds kFree = 8 * kMillisecond;  // a quarter of a tick: no rest is needed after it
  Moment due_{};
};

}  // namespace idlemeter::meter
