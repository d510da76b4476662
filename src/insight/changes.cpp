#include "idlemeter/insight/changes.hpp"

#include <algorithm>
#include <cmath>
#include <future>
#include <thread>

#include "base/words.hpp"
#include "frames/median.hpp"
#include "insight/oddities.hpp"

namespace idlemeter {
namespace {

using namespace base;
using frames::median_of;
using insight::oddities_in;

constexpr Word<ChangeKind> kChangeNames[] = {
    {"level", ChangeKind::level}, {"slope", ChangeKind::slope}, {"spread", ChangeKind::spread}};
constexpr Word<OddKind> kOddNames[] = {
    {"spike", OddKind::spike}, {"stuck", OddKind::stuck}, {"impossible", OddKind::impossible}};

/// Reported as unchanged, if they are.
constexpr std::string_view kOftenLookedAt[] = {"gpu.load", "gpu.clock",      "gpu.temp",       "gpu.memory.used",
                                               "cpu.load", "ram.used",       "game.disk.read", "disk.read",
                                               "net.down", "cpu.others.load"};
constexpr std::size_t kLeastSeconds = 20;
constexpr double kFarSlope = 6;        // spreads
constexpr std::size_t kLong = 43'200;  // seconds

/// The rate first, then frame times, levels before the rest; then all other readings.
int place_of(const ReadingChange& change) {
  if (change.info.kind != DeviceKind::frames) return 10;
  const int place = change.info.id == "frame.rate" ? 0 : change.info.id == "frame.time" ? 1 : 2;
  return change.kind == ChangeKind::level ? place : place + 3;
}

/// The last digit that is shown: no change is smaller.
double step_of(const ReadingInfo& info) { return std::pow(10, -digits_of(info)); }

/// A series' noise, never below half of a digit that is shown.
Noise noise_in(const SecondSeries& one) {
  Noise noise = noise_of(one.values);
  noise.spread = std::max(noise.spread, step_of(one.info) / 2);
  return noise;
}

Moment moment_of(const SecondSeries& one, std::size_t second) {
  return one.begin + kSecond * static_cast<std::int64_t>(second);
}

/// The mean level near a border, of up to a minute.
double level_near(const SecondSeries& one, std::size_t begin, std::size_t end, bool at_end) {
  constexpr std::size_t kMost = 60;
  if (end - begin > kMost) (at_end ? begin : end) = at_end ? end - kMost : begin + kMost;
  std::vector<double> values(one.values.begin() + static_cast<std::ptrdiff_t>(begin),
                             one.values.begin() + static_cast<std::ptrdiff_t>(end));
  return median_of(values);
}

double per_minute(const Stretch& stretch) {
  const auto seconds = static_cast<double>(stretch.end - stretch.begin - 1);
  return seconds > 0 ? 60 * (stretch.last - stretch.first) / seconds : 0;
}

/// A part of a series that varies by the same amount.
struct Regime {
  std::size_t begin = 0, end = 0;
  double spread = 0;  ///< standard deviation, by the steps between neighbours
};

/// Where a series varies more or less: the level of the steps between neighbours.
std::vector<Regime> regimes_of(const SecondSeries& one, const ChangeRules& rules) {
  const std::size_t n = one.values.size();
  std::vector<double> sizes;
  sizes.reserve(n);
  for (std::size_t i = 1; i < n; ++i) sizes.push_back(std::abs(one.values[i] - one.values[i - 1]));
  // Some thousand of them say it as well.
  const auto median_step = [&](std::size_t begin, std::size_t end) {
    std::vector<double> part;
    for (std::size_t i = begin; i < end; i += 1 + (end - begin) / 5'000) part.push_back(sizes[i]);
    return median_of(part);
  };
  const auto spread_of = [&](std::size_t begin, std::size_t end) {
    return 1.4826 * median_step(begin, end) / std::sqrt(2.0);
  };
  if (n < 3 * kLeastSeconds) return {{0, n, spread_of(0, n - 1)}};
  // Steps much smaller than usual say nothing: their logarithms would be outliers.
  const double least = std::max(step_of(one.info) / 4, 0.25 * median_step(0, n - 1));
  // Of a day, some steps together: that is a part of the work, and a regime lasts for longer.
  const std::size_t together = n > kLong ? 4 : 1;
  std::vector<double> logs(sizes.size() / together);
  for (std::size_t i = 0; i < logs.size(); ++i) {
    for (std::size_t j = i * together; j < (i + 1) * together; ++j)
      logs[i] += std::log(std::max(least, sizes[j])) / static_cast<double>(together);
  }
  StretchRules strict = rules.stretches;
  strict.least = std::max<std::size_t>(strict.least, 30) / together;
  strict.look_back = std::max(strict.least, strict.look_back / together);
  strict.penalty *= 1.5;  // logarithms of steps aren't quite normal
  std::vector<Regime> regimes;
  for (const Stretch& stretch : stretches_of(logs, noise_of(logs), strict)) {
    const std::size_t begin = stretch.begin * together, end = stretch.end * together;
    const double spread = spread_of(begin, end);
    const bool is_alike =
        !regimes.empty() && std::max(spread, regimes.back().spread) <
                                2 * std::max(step_of(one.info) / 2, std::min(spread, regimes.back().spread));
    if (is_alike) {
      regimes.back().end = end;
    } else {
      regimes.push_back({regimes.empty() ? 0 : begin + 1, end, spread});
    }
  }
  regimes.back().end = n;
  return regimes;
}

/// Each number's spread: the noise's, more or less as its regime varies more or less than most of the series.
std::vector<double> spreads_in(const SecondSeries& one, const Noise& noise, const std::vector<Regime>& regimes) {
  if (regimes.size() < 2) return {};
  const auto longest = std::max_element(regimes.begin(), regimes.end(), [](const Regime& a, const Regime& b) {
    return a.end - a.begin < b.end - b.begin;
  });
  const double floor = step_of(one.info) / 2, usual = std::max(longest->spread, floor);
  std::vector<double> spreads;
  for (const Regime& regime : regimes)
    spreads.insert(spreads.end(), regime.end - regime.begin,
                   std::max(floor, noise.spread * std::max(regime.spread, floor) / usual));
  spreads.resize(one.values.size(), noise.spread);
  return spreads;
}

std::vector<ReadingChange> level_changes(const SecondSeries& one, const Noise& noise,
                                         const std::vector<double>& spreads, const ChangeRules& rules) {
  const auto stretches = stretches_of(one.values, noise, rules.stretches, spreads);
  std::vector<ReadingChange> changes;
  for (std::size_t i = 1; i < stretches.size(); ++i) {
    const Stretch &before = stretches[i - 1], &after = stretches[i];
    const Moment at = moment_of(one, after.begin);
    const double spread = spreads.empty() ? noise.spread : std::max(spreads[before.end - 1], spreads[after.begin]);
    const double from = level_near(one, before.begin, before.end, true),
                 to = level_near(one, after.begin, after.end, false);
    const double jump = after.first - before.last, apart = std::abs(to - from) / spread;
    const bool is_small = std::abs(to - from) < rules.least_share * std::max(std::abs(from), std::abs(to));
    const double bend = (per_minute(after) - per_minute(before)) / spread;
    const bool is_level = apart >= rules.least_spreads && !is_small;
    const bool jumps = std::abs(jump) / spread >= rules.least_spreads;
    // A slope is one that leads somewhere.
    const auto way = [](const Stretch& stretch) { return std::abs(stretch.last - stretch.first); };
    const Stretch& steeper = std::abs(per_minute(before)) > std::abs(per_minute(after)) ? before : after;
    const bool leads = way(steeper) >= kFarSlope * spread && steeper.end - steeper.begin >= kLeastSeconds &&
                       way(steeper) >= 2 * rules.least_share * std::abs(steeper.level);
    if (is_level && (jumps || !leads)) {
      changes.push_back({one.info, ChangeKind::level, at, from, to, apart});
    } else if (leads && std::abs(bend) >= rules.least_spreads) {
      changes.push_back(
          {one.info, ChangeKind::slope, at, per_minute(before), per_minute(after), way(steeper) / spread});
    }
  }
  return changes;
}

std::vector<ReadingChange> spread_changes(const SecondSeries& one, const std::vector<Regime>& regimes) {
  std::vector<ReadingChange> changes;
  for (std::size_t i = 1; i < regimes.size(); ++i) {
    const double from = regimes[i - 1].spread, to = regimes[i].spread;
    // What stands still is another matter.
    if (std::min(from, to) <= 0 || std::max(from, to) < step_of(one.info)) continue;
    changes.push_back({one.info, ChangeKind::spread, moment_of(one, regimes[i].begin), from, to,
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

Single look_at(const SecondSeries& one, const ChangeRules& rules) {
  Single found;
  if (one.values.size() < kLeastSeconds) return found;
  const Noise noise = noise_in(one);
  const std::vector<Regime> regimes = regimes_of(one, rules);
  found.changes = level_changes(one, noise, spreads_in(one, noise, regimes), rules);
  // A level that moves to another also varies more meanwhile.
  for (ReadingChange& change : spread_changes(one, regimes)) {
    const bool jumps = std::any_of(found.changes.begin(), found.changes.end(), [&](const ReadingChange& other) {
      return std::chrono::abs(other.at - change.at) <= 2 * rules.together;
    });
    if (!jumps) found.changes.push_back(std::move(change));
  }
  const double range = range_of(one);
  for (ReadingChange& change : found.changes) {
    // Of a slope, `spreads` says how far it led.
    const double way = change.kind == ChangeKind::slope    ? change.spreads * noise.spread
                       : change.kind == ChangeKind::spread ? std::max(change.before, change.after)
                                                           : std::abs(change.after - change.before);
    change.of_range = range > 0 ? std::min(1.0, way / range) : 0;
  }
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
  constexpr std::size_t kMostChanges = 50;  // of a text: one that changes more often tells nothing
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
    found.oddities.insert(found.oddities.end(), one.oddities.begin(), one.oddities.end());
  }
  // Around the farthest changes, whose moment is the surest, the others gather.
  std::stable_sort(changes.begin(), changes.end(),
                   [](const ReadingChange& a, const ReadingChange& b) { return a.spreads > b.spreads; });
  std::vector<bool> taken(changes.size(), false);
  for (std::size_t i = 0; i < changes.size(); ++i) {
    if (taken[i]) continue;
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
    event.as_before = as_before(series, all, changes[i].at, rules);
    found.events.push_back(std::move(event));
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
