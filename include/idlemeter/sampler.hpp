// Idle Meter: sources of readings, and the sampler that asks them.
#pragma once

#include <chrono>
#include <functional>
#include <map>
#include <memory>
#include <span>
#include <string>
#include <vector>

#include "idlemeter/reading.hpp"

namespace idlemeter {

class AskedSource;

/// Code that finds readings on this machine and samples them.
///
/// One thread at a time. Neither call throws on what the machine does: a sensor that fails is a Missing value.
class Source {
 public:
  virtual ~Source() = default;

  /// "processor", "hwmon": unique among the sources of a sampler.
  [[nodiscard]] virtual std::string name() const = 0;

  /// How often it wants to be asked; the sampler's own pace where zero.
  [[nodiscard]] virtual std::chrono::nanoseconds pace() const { return std::chrono::nanoseconds::zero(); }

  /// Looks for what there is now, each id once. Called before the first sample, every few seconds, and after a sample
  /// that said so. If it throws, or names an id twice, the source isn't sampled until a later call succeeds, and the
  /// reason is among Snapshot::problems().
  virtual std::vector<ReadingInfo> discover() = 0;

  /// Fills one value for each reading of the last discover(): `values` has as many. `now` on the monotonic clock,
  /// rising. False where devices came or went: discover() is asked before the next sample.
  [[nodiscard]] virtual bool sample(Nanoseconds now, std::span<Value> values) = 0;
};

using Sources = std::vector<std::unique_ptr<Source>>;

/// Asks sources in the caller's thread, on the caller's clock: for a recording on a virtual clock, for tests, for one
/// look. One thread at a time.
class Polling {
 public:
  explicit Polling(Sources sources);
  ~Polling();

  /// Samples every source once.
  [[nodiscard]] Snapshot sample(Nanoseconds now);

 private:
  std::vector<std::unique_ptr<AskedSource>> sources_;
};

struct SamplerOptions {
  /// How often each source without a pace of its own is asked, 100 ms to 1 min; shorter costs in proportion (see
  /// bench/).
  std::chrono::nanoseconds pace = std::chrono::milliseconds(500);

  /// Of single sources by name, or by its first word ("hwmon" for all chips), in place of the one above and of their
  /// own.
  std::map<std::string, std::chrono::nanoseconds> paces = {};

  /// How long a source may take before its readings are shown missing; it is waited for without delaying any other.
  std::chrono::nanoseconds patience = std::chrono::seconds(2);

  /// How often a source looks for devices that came or went.
  std::chrono::nanoseconds rescan = std::chrono::seconds(5);
};

/// Samples each source at its pace, each in a thread of its own, so that a stuck sensor file delays no other reading.
///
/// snapshot() from any number of threads; the rest from the owner's. A source that never returns keeps its thread, and
/// is left behind with it when the sampler ends.
class Sampler {
 public:
  /// Starts at once. Throws std::invalid_argument where the pace is out of its range.
  explicit Sampler(Sources sources, const SamplerOptions& options = {});
  Sampler(const Sampler&) = delete;
  Sampler& operator=(const Sampler&) = delete;
  ~Sampler();

  /// The newest values; never waits for a source. Empty until the first source has answered.
  [[nodiscard]] Snapshot snapshot() const;

  /// Waits until every source has answered `rounds` times since the start, or the time is up. False where it is up.
  bool wait(int rounds, std::chrono::nanoseconds at_most) const;

 private:
  struct Shared;
  std::shared_ptr<Shared> shared_;
};

/// Nanoseconds on the monotonic clock, the same as in the probe.
Nanoseconds monotonic_now();

}  // namespace idlemeter
