// Idle Meter: a recorded run.
#pragma once

#include <cstdint>
#include <map>
#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"

namespace idlemeter {

/// What is known of a run beside its frames and readings.
struct RunDetails {
  std::string game = {};
  std::string note = {};
  std::vector<std::string> tags = {};
  std::map<std::string, std::string> facts = {};     ///< the machine: "Processor" -> "Corvid 8"
  std::map<std::string, std::string> settings = {};  ///< what was tried: "Preset" -> "High"
};

/// A run as a list shows it.
struct RunInfo {
  std::int64_t id = 0;
  std::string started;    ///< UTC, ISO 8601: "2026-03-01T20:15:00Z"
  bool finished = false;  ///< false if its recorder was stopped in the middle, or is still in progress
  std::uint64_t frames = 0;
  Nanoseconds length{};  ///< sum of the intervals
  RunDetails details;
  std::string problem = {};  ///< what of it can't be read, in a damaged store; empty: all can
};

/// One reading over a run: as many times as values.
struct RunSeries {
  ReadingInfo info;
  std::vector<Moment> at;
  std::vector<Value> values;
};

}  // namespace idlemeter
