#include "idlemeter/insight/compare.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>
#include <set>
#include <stdexcept>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/nearest.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/readings/units.hpp"
#include "insight/run/find_series.hpp"

namespace idlemeter {
namespace {

// One of ten comparisons, as simulated: figures of the same frames aren't normal, and name some more than a test says.
constexpr double kOddByChanceInAll = 0.08;

/// The value of a setting or else a fact; upper and lower case of its name alike. nullptr if the run has neither.
const std::string* value_in(const RunInfo& run, const std::string& name) {
  for (const auto* pairs : {&run.details.settings, &run.details.facts}) {
    for (const auto& [key, value] : *pairs) {
      if (lower_case(key) == lower_case(name)) return &value;
    }
  }
  return nullptr;
}

/// The figure of each group: values of the runs that have it.
ComparedFigure gather(const std::vector<std::vector<std::vector<RunFigure>>>& all, std::size_t figure,
                      const std::vector<RunGroup>& groups) {
  ComparedFigure compared;
  compared.info = all.front().front()[figure].info;
  for (std::size_t g = 0; g < groups.size(); ++g) {
    ComparedGroup& group = compared.groups.emplace_back();
    for (std::size_t r = 0; r < groups[g].runs.size(); ++r) {
      const RunFigure& one = all[g][r][figure];
      const std::int64_t id = groups[g].runs[r].info.id;
      if (one.value) compared.info = one.info;  // whichever group has it
      if (!one.value || !std::isfinite(*one.value)) continue;
      group.values.push_back(*one.value);
      group.runs.push_back(id);
    }
  }
  compared.better = better_of(compared.info);
  return compared;
}

void flag_odd_runs(ComparedFigure& figure, double by_chance) {
  std::vector<std::vector<double>> values;
  std::vector<std::size_t> places;
  for (std::size_t g = 0; g < figure.groups.size(); ++g) {
    if (figure.groups[g].values.empty()) continue;
    values.push_back(figure.groups[g].values);
    places.push_back(g);
  }
  figure.scale = scale_of(values);
  const auto odd = odd_runs(values, by_chance);
  for (std::size_t i = 0; i < odd.size(); ++i) {
    ComparedGroup& group = figure.groups[places[i]];
    for (std::size_t r = 0; r < odd[i].size(); ++r) {
      if (odd[i][r]) group.odd.push_back(group.runs[r]);
    }
  }
}

/// Only if the best and the worst really differ: some group always has the highest mean.
void mark_extremes(ComparedFigure& figure, const DifferenceRules& rules) {
  if (figure.better == Better::neither) return;
  std::optional<std::size_t> best, worst;
  for (std::size_t g = 0; g < figure.groups.size(); ++g) {
    if (!figure.groups[g].mean) continue;
    const double sign = figure.better == Better::higher ? 1 : -1;
    const auto beats = [&](std::size_t other) {
      return sign * (*figure.groups[g].mean - *figure.groups[other].mean) > 0;
    };
    if (!best || beats(*best)) best = g;
    if (!worst || !beats(*worst)) worst = g;
  }
  if (!best || *best == *worst) return;
  const Verdict verdict =
      difference_of(figure.groups[*worst].values, figure.groups[*best].values, figure.scale, rules).verdict;
  if (verdict != Verdict::higher && verdict != Verdict::lower) return;
  figure.best = best;
  figure.worst = worst;
}

/// The values of the runs that aren't odd, or all if every run is.
std::vector<double> ordinary(const ComparedGroup& group) {
  std::vector<double> values;
  for (std::size_t i = 0; i < group.values.size(); ++i) {
    if (std::find(group.odd.begin(), group.odd.end(), group.runs[i]) == group.odd.end())
      values.push_back(group.values[i]);
  }
  return values.empty() ? group.values : values;
}

void work_out(ComparedGroup& group, Scale scale, double confidence) {
  if (group.values.empty()) return;
  group.mean = group_mean(group.values, scale);
  group.spread = group_spread(group.values, scale);
  group.interval = group_interval(group.values, scale, confidence);
}

void work_out(ComparedFigure& figure, const CompareOptions& options) {
  for (ComparedGroup& group : figure.groups) work_out(group, figure.scale, options.rules.confidence);
  const ComparedGroup& base = figure.groups[options.base];
  for (std::size_t g = 0; g < figure.groups.size(); ++g) {
    ComparedGroup& group = figure.groups[g];
    if (g == options.base || group.values.empty() || base.values.empty()) continue;
    group.difference = difference_of(base.values, group.values, figure.scale, options.rules);
    if (!group.odd.empty() || !base.odd.empty())
      group.without_odd = difference_of(ordinary(base), ordinary(group), figure.scale, options.rules);
  }
  mark_extremes(figure, options.rules);
}

/// The values of one thing by group, if the groups don't all have the same.
void add_if_different(std::vector<OtherDifference>& others, const std::string& what,
                      const std::vector<std::set<std::string>>& values) {
  const bool same = std::all_of(values.begin(), values.end(), [&](const auto& one) { return one == values.front(); });
  if (same) return;
  OtherDifference other{what, {}};
  for (const auto& of_group : values) other.values.push_back(fmt::format("{}", fmt::join(of_group, ", ")));
  others.push_back(std::move(other));
}

/// Temperatures at the start that differ by more than chance.
void add_temperatures(std::vector<OtherDifference>& others, const std::vector<RunGroup>& groups) {
  constexpr double kApart = 3;  // °C
  for (const std::string_view id : insight::kTemperatures) {
    std::vector<double> starts;
    std::string title;
    for (const RunGroup& group : groups) {
      std::vector<double> first;
      for (const RunInsight& run : group.runs) {
        const ReadingInsight* reading = run.reading(id);
        if (reading == nullptr || !reading->first) continue;
        first.push_back(*reading->first);
        title = reading->info.title;
      }
      if (!first.empty())
        starts.push_back(std::accumulate(first.begin(), first.end(), 0.0) / static_cast<double>(first.size()));
    }
    if (starts.size() != groups.size()) continue;
    const auto [least, most] = std::minmax_element(starts.begin(), starts.end());
    if (*most - *least < kApart) continue;
    OtherDifference other{title + " at the start", {}};
    for (const double start : starts) other.values.push_back(fmt::format("{:.0f} °C", start));
    others.push_back(std::move(other));
  }
}

void add_doubts(std::vector<GroupDoubt>& doubts, const RunGroup& group, std::size_t place) {
  const std::size_t first = doubts.size();
  for (const RunInsight& run : group.runs) {
    for (const Doubt& doubt : run.doubts) {
      auto its = std::find_if(doubts.begin() + static_cast<std::ptrdiff_t>(first), doubts.end(),
                              [&](const GroupDoubt& one) { return one.rule == doubt.rule; });
      if (its == doubts.end()) its = doubts.insert(its, GroupDoubt{place, doubt.rule, {}, group.runs.size()});
      its->runs.push_back(run.info.id);
    }
  }
}

std::set<std::string> names_of_values(const std::vector<RunGroup>& groups) {
  std::set<std::string> names = {"Game"};
  for (const RunGroup& group : groups) {
    for (const RunInsight& run : group.runs) {
      for (const auto* pairs : {&run.info.details.settings, &run.info.details.facts}) {
        for (const auto& [name, value] : *pairs) names.insert(name);
      }
    }
  }
  return names;
}

/// The settings and facts of all runs, each with the values that it has in each group.
std::map<std::string, std::vector<std::set<std::string>>> values_by_name(const std::vector<RunGroup>& groups) {
  std::map<std::string, std::vector<std::set<std::string>>> all;
  for (const std::string& name : names_of_values(groups)) {
    for (const RunGroup& group : groups) {
      auto& of_group = all[name].emplace_back();
      for (const RunInsight& run : group.runs) {
        const std::string* value = name == "Game" ? &run.info.details.game : value_in(run.info, name);
        of_group.insert(value == nullptr ? "–" : *value);
      }
    }
  }
  return all;
}

std::vector<OtherDifference> other_differences(const std::vector<RunGroup>& groups,
                                               const std::vector<std::string>& told) {
  constexpr std::string_view kOfEachRun[] = {"Arguments"};  // differ from run to run anyway
  std::vector<OtherDifference> others;
  for (const auto& [name, values] : values_by_name(groups)) {
    const auto is_it = [&, name = name](const std::string& one) { return lower_case(one) == lower_case(name); };
    const bool is_told = std::any_of(told.begin(), told.end(), is_it) ||
                         std::find(std::begin(kOfEachRun), std::end(kOfEachRun), name) != std::end(kOfEachRun);
    if (!is_told) add_if_different(others, name, values);
  }
  add_temperatures(others, groups);
  return others;
}

}  // namespace

Better better_of(const ReadingInfo& figure) {
  if (figure.unit == Unit::frames_per_second || figure.unit == Unit::frames_per_joule) return Better::higher;
  const bool is_low = figure.unit == Unit::millisecond || figure.unit == Unit::watt || figure.unit == Unit::celsius ||
                      figure.id.starts_with("stutter.");
  return is_low ? Better::lower : Better::neither;
}

std::vector<std::string> readings_of_comparison(const FigureSet& figures) {
  std::vector<std::string> ids = figures.readings();
  ids.insert(ids.end(), std::begin(insight::kTemperatures), std::end(insight::kTemperatures));
  return ids;
}

Comparison compare(const std::vector<RunGroup>& groups, const FigureSet& set, const CompareOptions& options) {
  const bool right = !groups.empty() && options.base < groups.size() &&
                     std::all_of(groups.begin(), groups.end(), [](const RunGroup& one) { return !one.runs.empty(); });
  if (!right) throw Error(Error::Code::misuse, "a comparison has groups with runs, and one of them as its base");
  Comparison comparison;
  comparison.base = options.base;
  std::vector<std::vector<std::vector<RunFigure>>> all;  // by group, run and figure
  for (const RunGroup& group : groups) {
    comparison.names.push_back(group.name);
    all.push_back(set.of(group.runs));
  }
  const std::size_t count = all.front().front().size();
  // One comparison names an odd run by chance no more often if it has many figures.
  const double by_chance = std::min(kOddByChance, kOddByChanceInAll / static_cast<double>(count));
  for (std::size_t i = 0; i < count; ++i) {
    ComparedFigure figure = gather(all, i, groups);
    flag_odd_runs(figure, by_chance);
    work_out(figure, options);
    comparison.figures.push_back(std::move(figure));
  }
  for (std::size_t g = 0; g < groups.size(); ++g) add_doubts(comparison.doubts, groups[g], g);
  comparison.others = other_differences(groups, options.told);
  return comparison;
}

namespace {

/// Throws Error if no run has that setting or fact.
void expect_any_has(const std::vector<RunInsight>& runs, const std::string& name) {
  if (std::any_of(runs.begin(), runs.end(), [&](const RunInsight& run) { return value_in(run.info, name) != nullptr; }))
    return;
  std::set<std::string> known;
  for (const RunInsight& run : runs) {
    for (const auto& [key, value] : run.info.details.settings) known.insert(key);
  }
  throw Error(Error::Code::not_found,
              fmt::format("no run has a setting or fact '{}'{}", name,
                          did_you_mean(name, std::vector<std::string_view>(known.begin(), known.end()))),
              "", "give runs settings when they are recorded", Error::Hint::run_settings);
}

}  // namespace

/// A run's values of these settings, which name its group.
std::string group_name(const RunInfo& run, const std::vector<std::string>& names) {
  std::vector<std::string> values;
  for (const std::string& name : names) {
    const std::string* value = value_in(run, name);
    values.push_back(value == nullptr ? "no " + name : *value);
  }
  return fmt::format("{}", fmt::join(values, ", "));
}

std::vector<RunGroup> grouped_by(std::vector<RunInsight> runs, const std::vector<std::string>& names) {
  for (const std::string& name : names) expect_any_has(runs, name);
  std::vector<RunGroup> groups;
  for (RunInsight& run : runs) {
    const std::string name = group_name(run.info, names);
    auto group = std::find_if(groups.begin(), groups.end(), [&](const RunGroup& one) { return one.name == name; });
    if (group == groups.end()) group = groups.insert(groups.end(), RunGroup{name, {}});
    group->runs.push_back(std::move(run));
  }
  return groups;
}

}  // namespace idlemeter
