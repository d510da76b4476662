#include "insight/changes/oddities.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/units.hpp"
#include "insight/statistics/running_medians.hpp"

namespace idlemeter::insight {
namespace {

constexpr std::size_t kBursts = 5;

/// The least and most that a unit allows.
std::pair<double, double> possible(const ReadingInfo& info) {
  constexpr double kInfinity = std::numeric_limits<double>::infinity();
  switch (info.unit) {
    case Unit::celsius:
      return {-60, 200};
    case Unit::percent:
      return {0, info.id.ends_with("load") || info.id.ends_with("used") ? 100.5 : kInfinity};
    case Unit::none:
      return {-kInfinity, kInfinity};
    default:
      return {0, kInfinity};
  }
}

/// Seconds that fulfil a condition, as stretches.
template <typename Condition>
void each_stretch(std::size_t seconds, const Condition& holds, const auto& call) {
  for (std::size_t i = 0; i < seconds;) {
    std::size_t end = i;
    while (end < seconds && holds(end)) ++end;
    if (end > i) call(i, end);
    i = end + 1;
  }
}

void add_impossible(const SecondSeries& one, std::vector<OddStretch>& into) {
  const std::pair<double, double> range = possible(one.info);
  each_stretch(
      one.values.size(), [&](std::size_t i) { return one.values[i] < range.first || one.values[i] > range.second; },
      [&](std::size_t begin, std::size_t end) {
        into.push_back({one.info, OddKind::impossible, one.moment(begin),
                        kSecond * static_cast<std::int64_t>(end - begin), one.values[begin], 0, 0});
      });
}

void add_spikes(const SecondSeries& one, const Noise& noise, const ChangeRules& rules, std::vector<OddStretch>& into) {
  constexpr std::size_t kAround = 31;  // seconds
  const double least = std::max(rules.spike * noise.spread, rules.least_share);
  std::map<std::size_t, double> usual;  // around the seconds that are far from it
  for (const auto& [second, median] : far_from_median(one.values, kAround, least)) {
    if (std::abs(one.values[second] - median) > 0.1 * std::abs(median)) usual.emplace(second, median);
  }
  if (usual.empty()) return;
  const auto longest = static_cast<std::size_t>(rules.longest_spike / kSecond);
  const std::size_t before = into.size();
  each_stretch(
      one.values.size(), [&](std::size_t i) { return usual.contains(i); },
      [&](std::size_t begin, std::size_t end) {
        if (end - begin > longest) return;
        std::size_t worst = begin;
        for (std::size_t i = begin; i < end; ++i) {
          if (std::abs(one.values[i] - usual.at(i)) > std::abs(one.values[worst] - usual.at(worst))) worst = i;
        }
        into.push_back({one.info, OddKind::spike, one.moment(begin), kSecond * static_cast<std::int64_t>(end - begin),
                        one.values[worst], usual.at(worst),
                        std::abs(one.values[worst] - usual.at(worst)) / noise.spread});
      });
  // A reading that comes in bursts has no spikes.
  if (into.size() - before > std::max<std::size_t>(kBursts, one.values.size() / 600))
    into.erase(into.begin() + static_cast<std::ptrdiff_t>(before), into.end());
}

/// Stands still for long in a series that otherwise hardly ever does.
void add_stuck(const SecondSeries& one, const ChangeRules& rules, std::vector<OddStretch>& into) {
  std::size_t moves = 0, still = 0;
  for (std::size_t i = 1; i < one.values.size(); ++i) (one.values[i] == one.values[i - 1] ? still : moves) += 1;
  const auto least = static_cast<std::size_t>(rules.stuck / kSecond);
  std::vector<std::pair<std::size_t, std::size_t>> found;
  std::size_t stuck = 0;
  each_stretch(
      one.values.size(), [&](std::size_t i) { return i > 0 && one.values[i] == one.values[i - 1]; },
      [&](std::size_t begin, std::size_t end) {
        if (end - begin < least) return;
        found.emplace_back(begin, end);
        stuck += end - begin;
      });
  if (moves < least || 10 * (still - stuck) > moves) return;  // it often stands still
  for (const auto& [begin, end] : found)
    into.push_back({one.info, OddKind::stuck, one.moment(begin), kSecond * static_cast<std::int64_t>(end - begin),
                    one.values[begin], one.values[begin], 0});
}

void add_gaps(const SecondSeries& one, std::vector<OddStretch>& into) {
  for (const SecondGap& gap : one.gaps)
    into.push_back({one.info, OddKind::gap, one.moment(gap.before - 1) + kSecond,
                    kSecond * static_cast<std::int64_t>(gap.seconds), 0, 0, 0});
}

}  // namespace

std::vector<OddStretch> oddities_in(const SecondSeries& one, const Noise& noise, const ChangeRules& rules) {
  std::vector<OddStretch> oddities;
  add_gaps(one, oddities);
  add_impossible(one, oddities);
  add_spikes(one, noise, rules, oddities);
  add_stuck(one, rules, oddities);
  return oddities;
}

}  // namespace idlemeter::insight
