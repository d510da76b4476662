// Idle Meter: where readings come from.
#pragma once

#include <chrono>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"

namespace idlemeter {

/// Code that finds readings on this machine and samples them.
///
/// One thread at a time. Neither call throws on what the machine does: a sensor that fails is a Missing value.
class Source {
 public:
  virtual ~Source() = default;

  /// "processor", "hwmon": unique among the sources of a sampler.
  [[nodiscard]] virtual std::string name() const = 0;

  /// How often to sample it; the sampler's own pace if zero.
  [[nodiscard]] virtual Nanoseconds pace() const { return Nanoseconds{}; }

  /// Looks for what there is now, each id once. Called before the first sample, every few seconds, and after a sample
  /// that said so. If it throws, or names an id twice, the source isn't sampled until a later call succeeds, and the
  /// reason is among Snapshot::problems().
  virtual std::vector<ReadingInfo> discover() = 0;

  /// Fills one value for each reading of the last discover(): `values` has as many. `now` on the monotonic clock,
  /// rising. False if devices came or went: discover() is asked before the next sample.
  [[nodiscard]] virtual bool sample(Moment now, std::span<Value> values) = 0;
};

using Sources = std::vector<std::unique_ptr<Source>>;

}  // namespace idlemeter
