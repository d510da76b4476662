// Readings of made-up hours of which it is known what happens in them, to try what is told of them.
#pragma once

#include <cstdint>
#include <functional>
#include <string>
#include <vector>

#include "idlemeter/insight/changes.hpp"
#include "idlemeter/insight/second_series.hpp"

namespace idlemeter::rig {

/// Deterministic by seed: one of a second, around 100 with a noise of 1.
struct HourKind {
  std::string name;
  std::function<SecondSeries(std::uint64_t seed)> play;
};

/// In which no level changes: noise that is more or less correlated, that grows, stutters, and coarse whole numbers.
[[nodiscard]] std::vector<HourKind> quiet_hours();

/// In which something happens once, and as what it is to be told.
struct EventfulHour {
  HourKind hour;
  ChangeKind kind = ChangeKind::level;
  double share = 0.9;  ///< of such hours that this and nothing else is told of, at least
};
[[nodiscard]] std::vector<EventfulHour> eventful_hours();

/// What is told of that hour, but for changes of the spread.
[[nodiscard]] std::vector<ReadingChange> told_of(const HourKind& kind, std::uint64_t seed);

}  // namespace idlemeter::rig
