// How often an overlay that takes long to draw is drawn.
#pragma once

#include <algorithm>

#include "idlemeter/base/time.hpp"

namespace idlemeter::meter {

/// Leaves the loop four fifths of its time, so that it beats and takes frames whatever the faces cost: a drawing of 50
/// ms is followed by 200 ms without one. One thread at a time.
class DrawPace {
 public:
  [[nodiscard]] bool is_due(Nanoseconds now) const { return now >= due_; }

  /// A drawing began and ended then.
  void drew(Nanoseconds begin, Nanoseconds end) { due_ = end + kRest * std::max<Nanoseconds>(0, end - begin - kFree); }

 private:
  static constexpr Nanoseconds kRest = 4;
  static constexpr Nanoseconds kFree = 8 * kMillisecond;  // a quarter of a tick: no rest is needed after it
  Nanoseconds due_ = 0;
};

}  // namespace idlemeter::meter
