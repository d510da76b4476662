// Simulated hours of a reading with known events, to test what find_changes() reports.
#pragma once

#include <cstdint>
#include <functional>
#include <string>
#include <vector>

#include "idlemeter/insight/changes.hpp"
#include "idlemeter/insight/second_series.hpp"

namespace idlemeter::rig {

/// A number for each second, around 100 with a noise of 1. Deterministic by seed.
struct HourKind {
  std::string name;
  std::function<SecondSeries(std::uint64_t seed)> play;
};

/// Hours without a change of level: more or less correlated noise, growing noise, stutters, and coarse whole numbers.
[[nodiscard]] std::vector<HourKind> quiet_hours();

/// An hour with a single event, and how it should be reported.
struct EventfulHour {
  HourKind hour;
  ChangeKind kind = ChangeKind::level;
  double share = 0.9;  ///< smallest share of these hours in which it is reported, and nothing else
};
[[nodiscard]] std::vector<EventfulHour> eventful_hours();

/// The reported changes, without those of the spread.
[[nodiscard]] std::vector<ReadingChange> told_of(const HourKind& kind, std::uint64_t seed);

}  // namespace idlemeter::rig
