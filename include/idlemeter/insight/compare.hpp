// Idle Meter: groups of runs against each other.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "idlemeter/insight/difference.hpp"
#include "idlemeter/insight/figure_set.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/readings/reading.hpp"

namespace idlemeter {

struct RunGroup {
  std::string name;
  std::vector<RunInsight> runs;
};

/// Which direction is an improvement.
enum class Better : std::uint8_t { higher, lower, neither };

/// By the figure's unit and id: higher is better for rates and frames per joule, lower for times, stutters, power and
/// temperatures.
[[nodiscard]] Better better_of(const ReadingInfo& figure);

/// One figure of one group.
struct ComparedGroup {
  std::vector<double> values = {};            ///< one a run that counts
  std::vector<std::int64_t> runs = {};        ///< their numbers
  std::vector<std::int64_t> odd = {};         ///< the runs that are odd ones out; they count
  std::optional<double> mean = {};            ///< see group_mean(); empty without a value
  std::optional<double> spread = {};          ///< see group_spread()
  std::optional<MeanInterval> interval = {};  ///< see group_interval()
  std::optional<Difference> difference = {};  ///< to the base; empty of the base itself, and if either has no value
  /// The difference without odd runs; empty if neither group has any.
  std::optional<Difference> without_odd = {};
};

struct ComparedFigure {
  ReadingInfo info;
  Better better = Better::neither;
  Scale scale = Scale::ratio;                        ///< of all groups
  std::vector<ComparedGroup> groups = {};            ///< in the order of the groups
  std::optional<std::size_t> best = {}, worst = {};  ///< groups; empty unless they really differ
};

/// Something else that isn't the same in all groups: a setting, a fact, a temperature at the start.
struct OtherDifference {
  std::string what;
  std::vector<std::string> values;  ///< by group; several values within a group are separated by commas
};

/// A reason to doubt runs of a group.
struct GroupDoubt {
  std::size_t group = 0;
  DoubtRule rule = DoubtRule::empty;
  std::vector<std::int64_t> runs;  ///< their numbers
  std::size_t of = 0;              ///< runs in the group
};

struct Comparison {
  std::vector<std::string> names;  ///< of the groups
  std::size_t base = 0;
  std::vector<ComparedFigure> figures;
  std::vector<OtherDifference> others;
  std::vector<GroupDoubt> doubts = {};  ///< by group
};

struct CompareOptions {
  std::size_t base = 0;  ///< the group that the others are compared with
  DifferenceRules rules = {};
  std::vector<std::string> told = {};  ///< settings and facts that the groups were made by: not reported again
};

/// The readings that a comparison looks at, by id: InsightOptions::readings of its runs.
[[nodiscard]] std::vector<std::string> readings_of_comparison(const FigureSet& figures);

/// Throws Error (misuse) if there are no groups, one without runs, or no such base.
[[nodiscard]] Comparison compare(const std::vector<RunGroup>& groups, const FigureSet& figures,
                                 const CompareOptions& options = {});

/// The runs in groups by the values of these settings or facts, in the order in which they first appear; a group's name
/// is its values. Throws Error if no run has one of them.
[[nodiscard]] std::vector<RunGroup> grouped_by(std::vector<RunInsight> runs, const std::vector<std::string>& names);

}  // namespace idlemeter
