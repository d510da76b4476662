// Idle Meter: which runs of a store are meant.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <string_view>
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

/// What a list of runs is ordered by.
enum class RunOrder : std::uint8_t { number, started, game, length, frames, average };

/// "number", "started", "game", "length", "frames", "average"
[[nodiscard]] std::string_view name_of(RunOrder order);
[[nodiscard]] std::optional<RunOrder> run_order_from(std::string_view text);

/// Rising; runs that are alike stay as they were.
void sort_runs(std::vector<RunInfo>& runs, RunOrder order);

}  // namespace idlemeter
