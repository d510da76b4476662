// Idle Meter: readings computed from others: formulas, means and extremes.
#pragma once

#include <chrono>
#include <memory>
#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter {

/// A reading computed from others: either a formula, or one reading taken over a span of time.
struct ComputedReading {
  ReadingInfo info = {};

  /// In the syntax of muParser, with ids of readings as variables: "frame.rate / gpu.power", "max(cpu.temp, gpu.temp)".
  /// It may name readings computed before it.
  std::string formula = {};

  /// Without a formula: of which reading, a number.
  std::string of = {};
  enum class Take { mean, least, most } take = Take::mean;
  Nanoseconds over = std::chrono::seconds(5);  ///< the span, sliding; mean: over samples
};

/// Computes readings from snapshots. One thread at a time.
class ComputedReadings {
 public:
  /// Throws Error if a formula can't be read, naming the reading and the place in the formula.
  explicit ComputedReadings(std::vector<ComputedReading> readings);
  ComputedReadings(ComputedReadings&&) noexcept;
  ComputedReadings& operator=(ComputedReadings&&) noexcept;
  ~ComputedReadings();

  /// The ids of all readings that they are computed from, each once.
  [[nodiscard]] std::vector<std::string> inputs() const;

  /// A batch for each, to go into the snapshot in this order. One whose inputs are missing is missing, with their
  /// reason. Call with snapshots in the order of their times.
  [[nodiscard]] std::vector<std::shared_ptr<const Batch>> compute(const Snapshot& snapshot);

  /// The snapshot with what compute() returns.
  [[nodiscard]] Snapshot add_to(const Snapshot& snapshot);

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace idlemeter
