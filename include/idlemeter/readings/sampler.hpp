// Idle Meter: asks sources at their pace, each in a thread of its own.
#pragma once

#include <chrono>
#include <map>
#include <memory>
#include <string>

#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/source.hpp"

namespace idlemeter {

struct SamplerOptions {
  /// How often each source without a pace of its own is asked, 100 ms to 1 min; shorter costs in proportion (see
  /// bench/).
  Nanoseconds pace = std::chrono::milliseconds(500);

  /// Of single sources by name, or by its first word ("hwmon" for all chips), instead of the one above and of their
  /// own.
  std::map<std::string, Nanoseconds> paces = {};

  /// How long a source may take before its readings are shown missing; still waiting without delaying any other.
  Nanoseconds patience = std::chrono::seconds(2);

  /// How often a source looks for devices that came or went.
  Nanoseconds rescan = std::chrono::seconds(5);
};

/// Samples each source at its pace, each in a thread of its own, so that a stuck sensor file delays no other reading.
///
/// snapshot() from any number of threads; the rest from the owner's. A source that never returns keeps its thread, and
/// is abandoned with it when the sampler ends.
class Sampler {
 public:
  /// Starts at once. Throws Error (misuse) if the pace is out of its range.
  explicit Sampler(Sources sources, const SamplerOptions& options = {});
  Sampler(const Sampler&) = delete;
  Sampler& operator=(const Sampler&) = delete;
  ~Sampler();

  /// The newest values; never waits for a source. Empty until the first source has answered.
  [[nodiscard]] Snapshot snapshot() const;

  /// Waits until every source has answered `rounds` times since the start, or the time is up. False if it is up.
  bool wait(int rounds, Nanoseconds at_most) const;

 private:
  struct Shared;
  std::shared_ptr<Shared> shared_;
};

}  // namespace idlemeter
