#include "simulated_hours.hpp"

#include <fmt/format.h>

#include <cmath>
#include <random>
#include <utility>

#include "idlemeter/readings/units.hpp"

namespace idlemeter::rig {
namespace {

using Random = std::mt19937_64;
using Series = std::vector<double>;

constexpr std::size_t kHour = 3'600;

/// An AR(1) process of unit variance.
Series correlated(Random& random, double correlation, std::size_t seconds = kHour) {
  std::normal_distribution<double> normal;
  Series series(seconds);
  double z = normal(random);
  for (double& one : series) {
    one = z;
    z = correlation * z + std::sqrt(1 - correlation * correlation) * normal(random);
  }
  return series;
}

Series noisy_end(Random& random, double factor) {
  Series series = correlated(random, 0.5);
  const std::size_t from = 28 * 60 + random() % 120;
  for (std::size_t i = from; i < series.size(); ++i) series[i] *= factor;
  return series;
}

/// Three of ten seconds are slower from a share of the hour on.
Series stutters(Random& random, double from, double fall = 0) {
  Series series = correlated(random, 0.3);
  std::uniform_real_distribution<double> any(0, 1);
  for (auto i = static_cast<std::size_t>(from * kHour); i < series.size(); ++i)
    series[i] -= fall + (any(random) < 0.3 ? 10 + 30 * any(random) : 0);
  return series;
}

Series slow_fall(Random& random, double correlation) {
  Series series = correlated(random, correlation, 1'200);
  for (std::size_t i = 0; i < series.size(); ++i) series[i] = 3 * series[i] - 37.0 * static_cast<double>(i) / 1'200;
  return series;
}

Series dip(Random& random, double correlation, std::size_t length) {
  Series series = correlated(random, correlation);
  const std::size_t at = 600 + random() % 2'000;
  for (std::size_t i = at; i < at + length; ++i) series[i] -= 6;
  return series;
}

/// Of a sensor with that many digits.
HourKind kind(std::string name, std::function<Series(Random&)> play, int digits = 2) {
  return {std::move(name), [play = std::move(play), digits](std::uint64_t seed) {
            Random random(seed);
            SecondSeries one{{.id = "frame.rate",
                              .kind = DeviceKind::frames,
                              .unit = Unit::frames_per_second,
                              .digits = static_cast<std::int8_t>(digits)},
                             {},
                             play(random)};
            const double step = std::pow(10, -digits);
            for (double& value : one.values) value = std::round((100 + value) / step) * step;
            return one;
          }};
}

}  // namespace

std::vector<HourKind> quiet_hours() {
  std::vector<HourKind> kinds;
  for (const double r : {0.0, 0.5, 0.8, 0.9, 0.95})
    kinds.push_back(
        kind(fmt::format("neighbours correlated by {}", r), [r](Random& random) { return correlated(random, r); }));
  for (const double factor : {5.0, 8.0})
    kinds.push_back(kind(fmt::format("noise {} times as much from minute 28 to 30 on", factor),
                         [factor](Random& random) { return noisy_end(random, factor); }));
  for (const double from : {0.35, 0.5, 0.6})
    kinds.push_back(kind(fmt::format("stutters from {:.0f} % of the hour on", 100 * from),
                         [from](Random& random) { return stutters(random, from); }));
  for (const double spread : {0.4, 0.7, 1.5}) {
    const auto wander = [spread](Random& random) {
      Series series = correlated(random, std::exp(-1.0 / 30));
      for (double& one : series) one *= spread;
      return series;
    };
    kinds.push_back(kind(fmt::format("a whole number that varies by {} over half a minute", spread), wander, 0));
  }
  return kinds;
}

std::vector<EventfulHour> eventful_hours() {
  std::vector<EventfulHour> hours;
  for (const double r : {0.5, 0.9})
    hours.push_back({kind(fmt::format("a fall of 37 in 20 minutes, noise 3 correlated by {}", r),
                          [r](Random& random) { return slow_fall(random, r); }),
                     ChangeKind::trend});
  for (const double r : {0.5, 0.9}) {
    for (const std::size_t length : {4u, 6u, 9u, 12u, 20u})
      hours.push_back({kind(fmt::format("{} s of 6 spreads less, neighbours correlated by {}", length, r),
                            [r, length](Random& random) { return dip(random, r, length); }),
                       ChangeKind::brief, length < 6 ? 0.7 : 0.9});
  }
  for (const double from : {0.35, 0.6})
    hours.push_back({kind(fmt::format("a fall of 20 with stutters from {:.0f} % of the hour on", 100 * from),
                          [from](Random& random) { return stutters(random, from, 20); }),
                     ChangeKind::level});
  return hours;
}

std::vector<ReadingChange> told_of(const HourKind& kind, std::uint64_t seed) {
  std::vector<ReadingChange> all;
  for (const ChangeEvent& event : find_changes({kind.play(seed)}).events) {
    for (const ReadingChange& change : event.readings) {
      if (change.kind != ChangeKind::spread) all.push_back(change);
    }
  }
  return all;
}

}  // namespace idlemeter::rig
