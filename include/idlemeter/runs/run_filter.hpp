// Idle Meter: which runs of a store are meant.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "idlemeter/runs/run.hpp"

namespace idlemeter {

/// Every condition that is set has to hold. Case doesn't matter.
struct RunFilter {
  std::string game = {};  ///< a part of the game's name
  std::string text = {};  ///< a part of the game's name, the note, a tag or a setting
  std::vector<std::string> tags = {};
  std::map<std::string, std::string> settings = {};  ///< "preset" -> "High"
  std::string since = {};                            ///< UTC, the start of an ISO 8601 time: "2026-03-01"
  std::string until = {};                            ///< likewise; times that begin with it are included

  [[nodiscard]] bool matches(const RunInfo& run) const;
};

}  // namespace idlemeter
