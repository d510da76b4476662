// usage: change_detection [HOURS]: how many planted changes are found in simulated hours of seconds, whose neighbours
// are correlated by 0.5, and how many false ones; then how long a day of 250 readings takes.
#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <cstdlib>
#include <random>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/insight/changes.hpp"
#include "idlemeter/insight/stretches.hpp"
#include "idlemeter/readings/units.hpp"

namespace {

using namespace idlemeter;

std::vector<double> noise(unsigned seed, std::size_t seconds) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  std::vector<double> series;
  double z = normal(random);
  for (std::size_t i = 0; i < seconds; ++i) {
    series.push_back(100 + z);
    z = 0.5 * z + std::sqrt(0.75) * normal(random);
  }
  return series;
}

std::size_t changes_in(const std::vector<double>& series) { return stretches_of(series, noise_of(series)).size() - 1; }

/// Whether a border is within so many seconds of it.
bool is_found(const std::vector<double>& series, std::size_t at, std::size_t reach = 5) {
  for (const Stretch& one : stretches_of(series, noise_of(series))) {
    if (one.begin > 0 && one.begin + reach >= at && one.begin <= at + reach) return true;
  }
  return false;
}

}  // namespace

int main(int argc, char** argv) {
  const unsigned hours = argc > 1 ? static_cast<unsigned>(std::atoi(argv[1])) : 500;
  std::size_t alarms = 0;
  for (unsigned hour = 0; hour < hours; ++hour) alarms += changes_in(noise(hour, 3'600));
  fmt::print("quiet: {:.2f} false changes in ten hours\n", 10.0 * static_cast<double>(alarms) / hours);
  for (const double spreads : {1.0, 2.0, 3.0, 5.0, 10.0}) {
    unsigned found = 0;
    for (unsigned hour = 0; hour < hours; ++hour) {
      auto series = noise(10'000 + hour, 3'600);
      const std::size_t at = 300 + hour * 37 % 3'000;
      for (std::size_t i = at; i < at + 60; ++i) series[i] += hour % 2 == 0 ? spreads : -spreads;
      found += is_found(series, at) ? 1 : 0;
    }
    fmt::print("{:g} spreads for a minute: {:.1f} % within 5 s\n", spreads, 100.0 * found / hours);
  }
  for (const double per_minute : {0.5, 1.0, 3.0}) {
    // It begins to rise, and goes on to the end of the hour: where is told to a quarter minute at best.
    unsigned found = 0, near = 0;
    for (unsigned hour = 0; hour < hours; ++hour) {
      auto series = noise(20'000 + hour, 3'600);
      const std::size_t at = 1'200 + hour * 37 % 1'200;
      for (std::size_t i = at; i < series.size(); ++i) series[i] += per_minute * static_cast<double>(i - at) / 60;
      found += changes_in(series) > 0 ? 1 : 0;
      near += is_found(series, at, 60) ? 1 : 0;
    }
    fmt::print(
        "a slope of {:g} spreads a minute: found in {:.1f} % of hours, its beginning within a minute in {:.1f} %\n",
        per_minute, 100.0 * found / hours, 100.0 * near / hours);
  }
  // Four readings change by three spreads within eight seconds, six others don't.
  unsigned whole = 0, others = 0;
  for (unsigned hour = 0; hour < hours; ++hour) {
    std::vector<SecondSeries> readings;
    const std::size_t at = 600 + hour * 37 % 2'400;
    for (unsigned i = 0; i < 10; ++i) {
      auto series = noise(30'000 + 10 * hour + i, 3'600);
      for (std::size_t second = at + 2 * i; i < 4 && second < series.size(); ++second) series[second] += 3;
      readings.push_back({{.id = "a.r" + std::to_string(i), .unit = Unit::watt}, {}, std::move(series)});
    }
    for (const ChangeEvent& event : find_changes(readings).events) {
      std::size_t right = 0;
      for (const ReadingChange& one : event.readings) right += one.info.id < "a.r4" ? 1 : 0;
      whole += right == 4 ? 1 : 0;
      others += event.readings.size() - right;
    }
  }
  fmt::print(
      "four of ten readings together: one event with all four in {:.1f} % of hours, {} changes of the six others\n",
      100.0 * whole / hours, others);
  const std::size_t seconds = hours >= 500 ? 86'400 : 7'200;
  std::vector<SecondSeries> day;
  for (unsigned i = 0; i < 250; ++i)
    day.push_back({{.id = "a.r" + std::to_string(i), .unit = Unit::watt}, {}, noise(i, seconds)});
  const Moment begin = monotonic_now();
  (void)find_changes(day);
  fmt::print("{} s of 250 readings: {:.1f} s\n", seconds, in_seconds(monotonic_now() - begin));
}
