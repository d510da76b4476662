// Idle Meter: whether a figure differs between two groups of runs.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string_view>
#include <vector>

namespace idlemeter {

enum class Verdict : std::uint8_t {
  higher,
  lower,
  none_seen,  ///< the interval leaves no room for a difference that matters
  too_few     ///< of runs to tell
};

/// "higher", "lower", "no difference seen", "too few runs to tell"
[[nodiscard]] std::string_view name_of(Verdict verdict);

struct DifferenceRules {
  double confidence = 0.95;   ///< of the interval; above 0 and below 1
  double matters = 0.03;      ///< a smaller difference, as a share of the base, is none
  std::uint64_t seed = 1;     ///< of random permutations, if there are too many to try them all
  int permutations = 20'000;  ///< at most
};

/// How a group's figure differs from the base's. A run is the unit: one value each.
struct Difference {
  bool is_ratio = true;                       ///< else a difference in the figure's unit, as some values are 0 or less
  double value = 0;                           ///< other / base - 1, of geometric means; or other - base
  std::optional<double> low = {}, high = {};  ///< Welch's interval; empty with a single run in a group
  std::optional<double> p_welch = {};         ///< two-sided
  std::optional<double> p_permutation = {};   ///< two-sided; empty if there are too few runs to reach 5 %
  Verdict verdict = Verdict::too_few;
  std::optional<int> runs_needed = {};  ///< in each group to settle it, if runs keep varying like this
};

/// On the logarithms of the values, or on the values themselves if one of them is 0 or less: Welch (1947) for the
/// interval, whose degrees of freedom are Welch's and Satterthwaite's, and a permutation test of the difference of the
/// means (all permutations if they aren't too many). O(permutations * runs). Throws std::invalid_argument if a group is
/// empty, a value isn't finite or a rule is out of its range.
[[nodiscard]] Difference difference_of(std::span<const double> base, std::span<const double> other,
                                       const DifferenceRules& rules = {});

/// Which runs are odd ones out, by group: a normal run is flagged in 2.5 % of cases. By the externally
/// studentized residual of the logarithm (Cook & Weisberg 1982) with a spread that is pooled over all groups, for a
/// group of five runs alone can't tell. Only in groups of at least four runs, and runs that are 1 % off or more.
[[nodiscard]] std::vector<std::vector<bool>> odd_runs(const std::vector<std::vector<double>>& groups);

/// The geometric mean; the arithmetic one if a value is 0 or less.
[[nodiscard]] double group_mean(std::span<const double> values);

/// Where the true mean lies, by Student's interval around group_mean(), on the same scale. Empty with a single run.
struct MeanInterval {
  double low = 0, high = 0;
};
[[nodiscard]] std::optional<MeanInterval> group_interval(std::span<const double> values, double confidence = 0.95);

/// Standard deviation from run to run: of the logarithms, so that 0.01 is 1 %; of the values if one is 0 or less.
/// Empty with a single run.
[[nodiscard]] std::optional<double> group_spread(std::span<const double> values);

}  // namespace idlemeter
