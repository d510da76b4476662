// Runs of made-up kinds whose true figures are known, to try how often intervals hold them.
#pragma once

#include <cstdint>
#include <functional>
#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/insight/compare.hpp"
#include "idlemeter/insight/interval.hpp"

namespace idlemeter::rig {

constexpr double kSimulatedRate = 120;  ///< frames a second, about

/// Deterministic by seed. Safe to play on several threads at once.
struct RunKind {
  std::string name;
  std::function<std::vector<Nanoseconds>(std::size_t frames, std::uint64_t seed)> play;
  bool is_steady = false;  ///< frames depend on each other for less than a tenth of a second
};

/// Independent and correlated frames, rare spikes, a drift, levels that switch, levels that wander, and Tidepool Rally.
[[nodiscard]] std::vector<RunKind> run_kinds();

/// Of how many runs an interval was given, and how many of those miss the true figure.
struct Coverage {
  unsigned runs = 0, given = 0, missed = 0;
};

/// For each figure. `long_run`: frames of the run that the true figures are taken from.
[[nodiscard]] std::vector<Coverage> coverage_of(const RunKind& kind, const std::vector<Figure>& figures,
                                                std::size_t frames, unsigned runs, std::size_t long_run);

/// Two groups of runs of 20 seconds with rare stutters, whose rates differ by chance alone, by 2 %.
[[nodiscard]] std::vector<RunGroup> alike_groups(std::uint64_t seed, std::size_t runs_of_each);

}  // namespace idlemeter::rig
