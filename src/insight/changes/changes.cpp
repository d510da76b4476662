#include "idlemeter/insight/changes.hpp"

#include <algorithm>
#include <cmath>
#include <future>
#include <optional>
#include <thread>

#include "base/enum_names.hpp"
#include "frames/median.hpp"
#include "insight/changes/brief_changes.hpp"
#include "insight/changes/oddities.hpp"
#include "insight/changes/regimes.hpp"
#include "insight/statistics/measure.hpp"
#include "insight/statistics/robust.hpp"

namespace idlemeter {
namespace {

using namespace base;
using frames::median_of;
using namespace insight;

constexpr Word<ChangeKind> kChangeNames[] = {{"level", ChangeKind::level},
                                             {"slope", ChangeKind::slope},
                                             {"spread", ChangeKind::spread},
                                             {"trend", ChangeKind::trend},
                                             {"brief", ChangeKind::brief}};
constexpr Word<OddKind> kOddNames[] = {
    {"spike", OddKind::spike}, {"stuck", OddKind::stuck}, {"impossible", OddKind::impossible}, {"gap", OddKind::gap}};

/// Reported as unchanged, if they are.
constexpr std::string_view kOftenLookedAt[] = {"gpu.load", "gpu.clock",      "gpu.temp",       "gpu.memory.used",
                                               "cpu.load", "ram.used",       "game.disk.read", "disk.read",
                                               "net.down", "cpu.others.load"};
constexpr double kFarSlope = 6;    // spreads
constexpr std::size_t kNear = 60;  // seconds

/// The rate first, then frame times, levels before the rest; then all other readings.
int place_of(const ReadingChange& change) {
  if (change.info.kind != DeviceKind::frames) return 10;
  const int place = change.info.id == "frame.rate" ? 0 : change.info.id == "frame.time" ? 1 : 2;
  return change.kind == ChangeKind::level ? place : place + 3;
}

/// A series' noise, never below half of a digit that is shown.
Noise noise_in(const SecondSeries& one) {
  Noise noise = noise_of(one.values);
  noise.spread = std::max(noise.spread, step_of(one.info) / 2);
  return noise;
}

/// Up to a minute near a border.
std::vector<double> values_near(const SecondSeries& one, std::size_t begin, std::size_t end, bool at_end) {
  if (end - begin > kNear) (at_end ? begin : end) = at_end ? end - kNear : begin + kNear;
  return {one.values.begin() + static_cast<std::ptrdiff_t>(begin),
          one.values.begin() + static_cast<std::ptrdiff_t>(end)};
}

double level_near(const SecondSeries& one, std::size_t begin, std::size_t end, bool at_end) {
  std::vector<double> values = values_near(one, begin, end, at_end);
  return median_of(values);
}

double per_second(const Stretch& stretch) {
  const auto seconds = static_cast<double>(stretch.end - stretch.begin - 1);
  return seconds > 0 ? (stretch.last - stretch.first) / seconds : 0;
}

double per_minute(const Stretch& stretch) { return 60 * per_second(stretch); }

/// The level at a stretch's border, of a line with its slope through the minute near it: what bends is nearer to that
/// than to a line through all of it.
double level_at(const SecondSeries& one, const Stretch& stretch, bool at_end) {
  const auto half = static_cast<double>(std::min(kNear, stretch.end - stretch.begin) - 1) / 2;
  return level_near(one, stretch.begin, stretch.end, at_end) + (at_end ? half : -half) * per_second(stretch);
}

double apart(double a, double b) { return std::abs(a - b); }

/// What a jump from one stretch to the next is measured by.
double spread_between(const Measure& by, const Stretch& before, const Stretch& after) {
  constexpr std::size_t kInside = 30;  // a border of regimes is a few seconds off
  const double a = by.spread(before.end - 1 - std::min(kInside, (before.end - before.begin - 1) / 2)),
               b = by.spread(after.begin + std::min(kInside, (after.end - after.begin - 1) / 2));
  if (std::max(a, b) < 2 * std::min(a, b)) return std::max(a, b);
  // Between two regimes by the medians that are compared, which stutters hardly move.
  const double before_varies = deviation_of(values_near(by.one, before.begin, before.end, true)),
               after_varies = deviation_of(values_near(by.one, after.begin, after.end, false));
  const double varies = std::max({before_varies, after_varies, std::min(a, b)});
  return std::min(before_varies, after_varies) > 0 ? varies
                                                   : 2 * varies;  // one of them stands still: by chance anywhere
}

/// A change at the border of two stretches: of the level, or else of the slope.
std::optional<ReadingChange> change_between(const Measure& by, const Stretch& before, const Stretch& after) {
  const auto& [one, noise, spreads, rules] = by;
  const Moment at = one.moment(after.begin);
  const double spread = spread_between(by, before, after);
  const double from = level_near(one, before.begin, before.end, true),
               to = level_near(one, after.begin, after.end, false);
  const double jump = after.first - before.last;
  const double bend = (per_minute(after) - per_minute(before)) / spread;
  const bool is_level = apart(from, to) >= rules.least_spreads * spread && !by.is_small(from, to);
  const bool jumps = std::abs(jump) / spread >= rules.least_spreads;
  // A slope is one that leads somewhere.
  const auto way = [](const Stretch& stretch) { return apart(stretch.last, stretch.first); };
  const Stretch& steeper = std::abs(per_minute(before)) > std::abs(per_minute(after)) ? before : after;
  const bool leads = way(steeper) >= kFarSlope * spread && steeper.end - steeper.begin >= kLeastSeconds &&
                     way(steeper) >= 2 * rules.least_share * std::abs(steeper.level);
  if (is_level && (jumps || !leads))
    return ReadingChange{one.info, ChangeKind::level, at, from, to, apart(from, to) / spread};
  if (leads && std::abs(bend) >= rules.least_spreads)
    return ReadingChange{one.info, ChangeKind::slope, at, per_minute(before), per_minute(after), way(steeper) / spread};
  return std::nullopt;
}

/// A stretch that leads somewhere by more than its line is uncertain.
std::optional<ReadingChange> trend_of(const Measure& by, const Stretch& stretch) {
  const auto& [one, noise, spreads, rules] = by;
  const auto seconds = static_cast<double>(stretch.end - stretch.begin);
  if (stretch.end - stretch.begin < static_cast<std::size_t>(rules.shortest_trend / kSecond)) return std::nullopt;
  const double spread = by.spread(stretch.begin + (stretch.end - stretch.begin) / 2);
  // Outliers move a line, but not the medians at its ends.
  const double ends =
      apart(level_near(one, stretch.begin, stretch.end, false), level_near(one, stretch.begin, stretch.end, true));
  const double way = std::min(apart(stretch.first, stretch.last), 2 * ends),
               error = spread * std::sqrt(12 * noise.inflation / seconds);
  if (way < rules.trend_errors * error || way < rules.least_spreads * spread ||
      way < 2 * rules.least_share * std::max(std::abs(stretch.first), std::abs(stretch.last)))
    return std::nullopt;
  return ReadingChange{one.info,
                       ChangeKind::trend,
                       one.moment(stretch.begin),
                       level_at(one, stretch, false),
                       level_at(one, stretch, true),
                       way / spread,
                       0,
                       one.moment(stretch.end - 1) + kSecond};
}

/// Moves each border to the first second that left the level before it. The search puts the border of a slow change
/// into the middle.
void begin_at_onsets(const Measure& by, std::vector<Stretch>& stretches) {
  constexpr std::size_t kLongest = 30;
  constexpr double kLeft = 0.05, kNoise = 3;  // of the way; spreads
  for (std::size_t i = 1; i < stretches.size(); ++i) {
    Stretch &before = stretches[i - 1], &after = stretches[i];
    const std::size_t cut = after.begin, inside = std::min(kLongest, (before.end - before.begin) / 2);
    const double level = level_at(by.one, before, true), slope = per_second(before);
    const double way = level_at(by.one, after, false) - level;
    const double least = std::max(kLeft * std::abs(way), kNoise * by.spread(cut - 1 - inside / 2));
    const auto has_left = [&](std::size_t second) {
      const double usual = level - slope * static_cast<double>(cut - 1 - second);
      return std::copysign(1.0, way) * (by.one.values[second] - usual) > least;
    };
    while (after.begin > cut - inside && has_left(after.begin - 1)) --after.begin;
    before.end = after.begin;
  }
}

/// Merges a short stretch between two levels into the stretch that it leads to.
void join_transitions(const Measure& by, std::vector<Stretch>& stretches) {
  const auto most = static_cast<std::size_t>(by.rules.longest_brief / kSecond);
  for (std::size_t i = 1; i + 1 < stretches.size();) {
    const Stretch &before = stretches[i - 1], &one = stretches[i];
    Stretch& after = stretches[i + 1];
    const double from = level_at(by.one, before, true), to = level_at(by.one, after, false);
    const bool is_between = (one.level > from) == (one.level < to);
    if (one.end - one.begin > most || !is_between) {
      ++i;
      continue;
    }
    after.begin = one.begin;
    stretches.erase(stretches.begin() + static_cast<std::ptrdiff_t>(i));
  }
}

std::vector<ReadingChange> level_changes(const Measure& by) {
  auto stretches = stretches_of(by.one.values, by.noise, by.rules.stretches, by.spreads);
  join_transitions(by, stretches);
  begin_at_onsets(by, stretches);
  std::vector<ReadingChange> changes;
  bool was_trend = false;
  for (std::size_t i = 0; i < stretches.size(); ++i) {
    const auto trend = trend_of(by, stretches[i]);
    const auto change = i > 0 ? change_between(by, stretches[i - 1], stretches[i]) : std::nullopt;
    // A trend says by itself where it begins and ends.
    const bool is_said = change && change->kind == ChangeKind::slope && (trend || was_trend);
    if (change && !is_said) changes.push_back(*change);
    if (trend) changes.push_back(*trend);
    was_trend = trend.has_value();
  }
  return changes;
}

std::vector<ReadingChange> spread_changes(const SecondSeries& one, const std::vector<Regime>& regimes) {
  std::vector<ReadingChange> changes;
  for (std::size_t i = 1; i < regimes.size(); ++i) {
    const double from = regimes[i - 1].spread, to = regimes[i].spread;
    // What stands still is another matter.
    if (std::min(from, to) <= 0 || std::max(from, to) < step_of(one.info)) continue;
    changes.push_back({one.info, ChangeKind::spread, one.moment(regimes[i].begin), from, to,
                       std::max(from, to) / std::max(std::min(from, to), step_of(one.info) / 2)});
  }
  return changes;
}

/// From the 1st to the 99th percentile: a few seconds of loading don't count.
double range_of(const SecondSeries& one) {
  std::vector<double> values = one.values;
  const std::size_t cut = values.size() / 100;
  const auto low = values.begin() + static_cast<std::ptrdiff_t>(cut),
             high = values.end() - 1 - static_cast<std::ptrdiff_t>(cut);
  std::nth_element(values.begin(), low, values.end());
  const double least = *low;
  std::nth_element(values.begin(), high, values.end());
  return *high - least;
}

struct Single {
  std::vector<ReadingChange> changes;
  std::vector<OddStretch> oddities;
};

void set_shares_of_range(std::vector<ReadingChange>& changes, double range, const Noise& noise) {
  for (ReadingChange& change : changes) {
    // Of a slope, `spreads` says how far it led.
    const double way = change.kind == ChangeKind::slope    ? change.spreads * noise.spread
                       : change.kind == ChangeKind::spread ? std::max(change.before, change.after)
                                                           : std::abs(change.after - change.before);
    change.of_range = range > 0 ? std::min(1.0, way / range) : 0;
  }
}

Single look_at(const SecondSeries& one, const ChangeRules& rules) {
  Single found;
  if (one.values.size() < kLeastSeconds) return found;
  const Noise noise = noise_in(one);
  const std::vector<Regime> regimes = regimes_of(one, rules);
  const std::vector<double> spreads = spreads_in(one, noise, regimes);
  SecondSeries rest = one;  // as if there were no brief changes
  for (BriefChange& brief : brief_changes_in({one, noise, spreads, rules})) {
    std::fill(rest.values.begin() + static_cast<std::ptrdiff_t>(brief.begin),
              rest.values.begin() + static_cast<std::ptrdiff_t>(brief.end), brief.change.before);
    found.changes.push_back(std::move(brief.change));
  }
  for (ReadingChange& change : level_changes({rest, noise, spreads, rules})) found.changes.push_back(std::move(change));
  // A level that moves to another also varies more meanwhile.
  for (ReadingChange& change : spread_changes(one, regimes)) {
    const bool jumps = std::any_of(found.changes.begin(), found.changes.end(), [&](const ReadingChange& other) {
      return std::chrono::abs(other.at - change.at) <= 2 * rules.together;
    });
    if (!jumps) found.changes.push_back(std::move(change));
  }
  set_shares_of_range(found.changes, range_of(one), noise);
  found.oddities = oddities_in(one, noise, rules);
  return found;
}

std::vector<Single> look_at_all(const std::vector<SecondSeries>& series, const ChangeRules& rules) {
  std::vector<Single> all(series.size());
  const std::size_t workers = std::clamp<std::size_t>(std::thread::hardware_concurrency(), 1, 8);
  std::vector<std::future<void>> parts;
  for (std::size_t worker = 0; worker < workers; ++worker) {
    parts.push_back(std::async(std::launch::async, [&, worker] {
      for (std::size_t i = worker; i < series.size(); i += workers) all[i] = look_at(series[i], rules);
    }));
  }
  for (auto& part : parts) part.get();
  return all;
}

/// A pause of a whole log is one gap, not one of each reading.
void add_oddity(std::vector<OddStretch>& oddities, const OddStretch& odd) {
  constexpr Nanoseconds kAlike = 3 * kSecond;
  const auto same = std::find_if(oddities.begin(), oddities.end(), [&](const OddStretch& one) {
    return odd.kind == OddKind::gap && one.kind == OddKind::gap && std::chrono::abs(one.at - odd.at) <= kAlike &&
           std::chrono::abs(one.length - odd.length) <= kAlike;
  });
  if (same == oddities.end()) {
    oddities.push_back(odd);
  } else {
    ++same->others;
  }
}

/// Whether something changes near that moment.
bool changes_near(const Single& single, Moment at, Nanoseconds together) {
  return std::any_of(single.changes.begin(), single.changes.end(),
                     [&](const ReadingChange& one) { return std::chrono::abs(one.at - at) <= 2 * together; });
}

std::vector<ReadingInfo> as_before(const std::vector<SecondSeries>& series, const std::vector<Single>& all, Moment at,
                                   const ChangeRules& rules) {
  std::vector<ReadingInfo> infos;
  for (const std::string_view id : kOftenLookedAt) {
    for (std::size_t i = 0; i < series.size(); ++i) {
      if (series[i].info.id == id && !changes_near(all[i], at, rules.together)) infos.push_back(series[i].info);
    }
  }
  return infos;
}

/// To the events, those that changed at the same time.
void add_texts(Changes& found, const std::vector<RunSeries>& texts, const ChangeRules& rules) {
  constexpr std::size_t kMostChanges = 50;  // of a text: one that changes more often isn't worth reporting
  for (const RunSeries& one : texts) {
    if (!one.info.text || one.info.id.starts_with("clock.") || one.at.size() < 2 || one.at.size() > kMostChanges)
      continue;
    for (std::size_t i = 1; i < one.at.size(); ++i) {
      const auto *before = std::get_if<std::string>(&one.values[i - 1]),
                 *after = std::get_if<std::string>(&one.values[i]);
      if (before == nullptr || after == nullptr) continue;
      for (ChangeEvent& event : found.events) {
        if (std::chrono::abs(one.at[i] - event.at) <= rules.together)
          event.texts.push_back({one.info, one.at[i], *before, *after});
      }
    }
  }
}

/// The change at `i` with those of other readings around it that no event has yet.
ChangeEvent event_around(const std::vector<ReadingChange>& changes, std::size_t i, std::vector<bool>& taken,
                         const ChangeRules& rules) {
  ChangeEvent event{.at = changes[i].at};
  for (std::size_t j = i; j < changes.size(); ++j) {
    if (taken[j] || std::chrono::abs(changes[j].at - changes[i].at) > rules.together) continue;
    const bool is_there = std::any_of(event.readings.begin(), event.readings.end(),
                                      [&](const ReadingChange& one) { return one.info.id == changes[j].info.id; });
    taken[j] = true;
    if (is_there) continue;
    event.at = std::min(event.at, changes[j].at);
    event.readings.push_back(changes[j]);
  }
  std::stable_sort(event.readings.begin(), event.readings.end(),
                   [](const ReadingChange& a, const ReadingChange& b) { return place_of(a) < place_of(b); });
  return event;
}

}  // namespace

std::string_view name_of(ChangeKind kind) { return word_of(kind, kChangeNames); }
std::string_view name_of(OddKind kind) { return word_of(kind, kOddNames); }

Changes find_changes(const std::vector<SecondSeries>& series, const std::vector<RunSeries>& texts,
                     const ChangeRules& rules) {
  const std::vector<Single> all = look_at_all(series, rules);
  std::vector<ReadingChange> changes;
  Changes found;
  for (const Single& one : all) {
    changes.insert(changes.end(), one.changes.begin(), one.changes.end());
    for (const OddStretch& odd : one.oddities) add_oddity(found.oddities, odd);
  }
  // Around the farthest changes, whose moment is the surest, the others gather.
  std::stable_sort(changes.begin(), changes.end(),
                   [](const ReadingChange& a, const ReadingChange& b) { return a.spreads > b.spreads; });
  std::vector<bool> taken(changes.size(), false);
  for (std::size_t i = 0; i < changes.size(); ++i) {
    if (taken[i]) continue;
    found.events.push_back(event_around(changes, i, taken, rules));
    found.events.back().as_before = as_before(series, all, changes[i].at, rules);
  }
  std::stable_sort(found.events.begin(), found.events.end(),
                   [](const ChangeEvent& a, const ChangeEvent& b) { return a.at < b.at; });
  std::stable_sort(found.oddities.begin(), found.oddities.end(), [](const OddStretch& a, const OddStretch& b) {
    return a.kind != b.kind ? a.kind > b.kind : a.spreads > b.spreads;
  });
  add_texts(found, texts, rules);
  return found;
}

Changes find_changes(const Store& store, std::int64_t run, const ChangeRules& rules) {
  return find_changes(seconds_of(store, run), store.series(run, &ReadingInfo::text), rules);
}

}  // namespace idlemeter
