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
  none_seen,  ///< the interval leaves no room for a difference that matters, and holds 0
  too_small,  ///< the interval leaves out 0, but also any difference that matters
  too_few     ///< of runs to tell
};

/// "higher", "lower", "no difference seen", "too small to matter", "too few runs to tell"
[[nodiscard]] std::string_view name_of(Verdict verdict);

/// On which scale values are averaged and compared: one for all groups of a figure.
enum class Scale : std::uint8_t {
  ratio,  ///< logarithms: geometric means, spreads and differences as shares
  plain   ///< the values themselves, as some are 0 or less
};

/// Scale::ratio if all values are above 0.
[[nodiscard]] Scale scale_of(const std::vector<std::vector<double>>& groups);

struct DifferenceRules {
  double confidence = 0.95;   ///< of the interval; above 0 and below 1
  double matters = 0.03;      ///< smallest difference that matters, as a share of the base
  std::uint64_t seed = 1;     ///< of random permutations, if there are too many to try them all
  int permutations = 20'000;  ///< at most
};

/// How a group's figure differs from the base's. A run is the unit: one value each.
struct Difference {
  Scale scale = Scale::ratio;                 ///< plain: a difference in the figure's unit
  double value = 0;                           ///< other / base - 1, of geometric means; or other - base
  std::optional<double> low = {}, high = {};  ///< Welch's interval; empty with a single run in a group
  std::optional<double> p_welch = {};         ///< two-sided
  std::optional<double> p_permutation = {};   ///< two-sided; empty if there are too few runs to reach 5 %
  Verdict verdict = Verdict::too_few;
  std::optional<int> runs_needed = {};  ///< in each group to settle it, if runs keep varying like this
};

/// Welch (1947) for the interval, whose degrees of freedom are Welch's and Satterthwaite's, and a permutation test of
/// the difference of the means (all permutations if they aren't too many; of over 1,000 runs the normal distribution
/// that they approach, Hoeffding 1951). What matters is as far up as down, in shares
/// of the base. O(permutations * runs). Throws Error (misuse) if a group is empty, a value isn't finite or a
/// rule is out of its range.
[[nodiscard]] Difference difference_of(std::span<const double> base, std::span<const double> other, Scale scale,
                                       const DifferenceRules& rules = {});
/// On the scale of these two groups.
[[nodiscard]] Difference difference_of(std::span<const double> base, std::span<const double> other,
                                       const DifferenceRules& rules = {});

/// Of how many comparisons of ordinary runs an odd run is named in, with one figure.
inline constexpr double kOddByChance = 0.05;

/// Which runs are odd ones out, by group. By the externally studentized residual (Cook & Weisberg 1982): a run's
/// distance from the others of its group, against the spread of all groups without this run, or its own group's without
/// it if that is more; against the latter alone, with its fewer degrees of freedom, if it is so much more that chance
/// is no explanation (F test, 2 %). All runs together by Holm's (1979) step-down. Only in groups of at least four runs,
/// and runs that are 1 % off or more. Runs aren't odd if the others don't vary at all.
[[nodiscard]] std::vector<std::vector<bool>> odd_runs(const std::vector<std::vector<double>>& groups,
                                                      double by_chance = kOddByChance);

/// The geometric mean, or of Scale::plain the arithmetic one.
[[nodiscard]] double group_mean(std::span<const double> values, Scale scale);

/// Where the true mean lies, by Student's interval around group_mean(). Empty with a single run.
struct MeanInterval {
  double low = 0, high = 0;
};
[[nodiscard]] std::optional<MeanInterval> group_interval(std::span<const double> values, Scale scale,
                                                         double confidence = 0.95);

/// Standard deviation from run to run: of the logarithms, so that 0.01 is 1 %; or of the values. Empty with a single
/// run.
[[nodiscard]] std::optional<double> group_spread(std::span<const double> values, Scale scale);

}  // namespace idlemeter
