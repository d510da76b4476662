// What changed in series that were made up. The simulated session in which two things go wrong is demo.long's.
#include "idlemeter/insight/changes.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <random>
#include <stdexcept>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/insight/stretches.hpp"
#include "idlemeter/insight/words.hpp"
#include "idlemeter/readings/units.hpp"
#include "simulated_hours.hpp"

namespace idlemeter {
namespace {

using Series = std::vector<double>;

/// An AR(1) process of unit variance around a level: an hour of seconds, unless said otherwise.
Series noise(unsigned seed, std::size_t seconds = 3'600, double correlation = 0.5) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  Series series;
  double z = normal(random);
  for (std::size_t i = 0; i < seconds; ++i) {
    series.push_back(100 + z);
    z = correlation * z + std::sqrt(1 - correlation * correlation) * normal(random);
  }
  return series;
}

void add(Series& series, std::size_t begin, std::size_t end, double amount) {
  for (std::size_t i = begin; i < end; ++i) series[i] += amount;
}

SecondSeries of(const char* id, Unit unit, Series values, DeviceKind kind = DeviceKind::graphics) {
  return {{.id = id, .title = id, .kind = kind, .unit = unit}, {}, std::move(values)};
}

std::vector<std::size_t> borders(const Series& series) {
  std::vector<std::size_t> all;
  for (const Stretch& one : stretches_of(series, noise_of(series))) all.push_back(one.begin);
  all.erase(all.begin());
  return all;
}

TEST(Noise, IsSeenThroughLevelsAndOutliers) {
  for (const double correlation : {0.0, 0.5, 0.8}) {
    Series series = noise(3, 7'200, correlation);
    add(series, 3'600, 7'200, 50);
    for (std::size_t i = 100; i < series.size(); i += 200) series[i] += 500;
    const Noise seen = noise_of(series);
    EXPECT_NEAR(seen.spread, 1, 0.15) << correlation;
    EXPECT_NEAR(seen.inflation, (1 + correlation) / (1 - correlation), 0.4 * (1 + correlation) / (1 - correlation));
  }
  EXPECT_EQ(noise_of(Series(100, 7.0)).spread, 0);
  EXPECT_EQ(noise_of(Series{1, 2}).spread, 0);
}

TEST(Stretches, AreCutWhereLevelOrSlopeChanges) {
  Series series = noise(5, 1'200);
  add(series, 400, 460, 4);
  for (std::size_t i = 800; i < 1'200; ++i) series[i] += 0.1 * static_cast<double>(i - 800);
  const auto found = borders(series);
  ASSERT_EQ(found.size(), 3u);
  const double planted[] = {400, 460, 800};
  for (std::size_t i = 0; i < 3; ++i) EXPECT_NEAR(static_cast<double>(found[i]), planted[i], i < 2 ? 4 : 40) << i;
  const auto stretches = stretches_of(series, noise_of(series));
  EXPECT_NEAR(stretches[1].level, 104, 0.7);
  EXPECT_NEAR(stretches[3].last - stretches[3].first, 40, 4);
  EXPECT_TRUE(borders(Series(500, 3.0)).empty());
  EXPECT_TRUE(stretches_of({}, {}).empty());
  EXPECT_EQ(stretches_of(Series{1}, {}).size(), 1u);
  EXPECT_THROW((void)stretches_of(Series{1, NAN}, {1, 1}), Error);
  EXPECT_THROW((void)stretches_of(Series{1, 2}, {1, 1}, {.penalty = 0}), Error);
}

/// The exhaustive version: every way to cut a short series.
TEST(Stretches, CostTheLeastOfAllWaysToCut) {
  const auto cost = [](const Series& series, const std::vector<std::size_t>& cuts, double penalty) {
    double sum = -penalty;
    for (std::size_t c = 0; c + 1 < cuts.size(); ++c) {
      const double n = static_cast<double>(cuts[c + 1] - cuts[c]);
      double x = 0, y = 0, xy = 0, xx = 0;
      for (std::size_t i = cuts[c]; i < cuts[c + 1]; ++i) {
        x += static_cast<double>(i) / n;
        y += series[i] / n;
      }
      for (std::size_t i = cuts[c]; i < cuts[c + 1]; ++i) {
        xy += (static_cast<double>(i) - x) * (series[i] - y);
        xx += (static_cast<double>(i) - x) * (static_cast<double>(i) - x);
      }
      for (std::size_t i = cuts[c]; i < cuts[c + 1]; ++i) {
        const double apart = series[i] - y - xy / xx * (static_cast<double>(i) - x);
        sum += apart * apart;
      }
      sum += penalty;
    }
    return sum;
  };
  std::mt19937_64 random(11);
  for (int turn = 0; turn < 20; ++turn) {
    Series series;  // within four spreads of each other's median, so that none counts as an outlier
    for (int i = 0; i < 30; ++i)
      series.push_back((i / 10 % 2 == 0 ? 0.0 : 3.0) + static_cast<double>(random() % 1'000) / 1'000);
    const StretchRules rules{.penalty = 2, .least = 4};
    std::vector<std::size_t> ours = {0};
    for (const Stretch& one : stretches_of(series, {1, 1}, rules)) ours.push_back(one.end);
    double least = cost(series, {0, 30}, 2);
    for (std::size_t a = 4; a <= 26; ++a) {
      least = std::min(least, cost(series, {0, a, 30}, 2));
      for (std::size_t b = a + 4; b <= 26; ++b) {
        least = std::min(least, cost(series, {0, a, b, 30}, 2));
        for (std::size_t c = b + 4; c <= 26; ++c) least = std::min(least, cost(series, {0, a, b, c, 30}, 2));
      }
    }
    EXPECT_LE(cost(series, ours, 2), least + 1e-9) << turn;
  }
}

TEST(Stretches, FindAMinuteOfThreeSpreadsAndNothingInQuietHours) {
  constexpr int kHours = 40;
  int found = 0, alarms = 0;
  for (unsigned hour = 0; hour < kHours; ++hour) {
    Series series = noise(100 + hour);
    alarms += static_cast<int>(borders(series).size());
    const std::size_t at = 300 + hour * 45;
    add(series, at, at + 60, hour % 2 == 0 ? 3 : -3);
    for (const std::size_t border : borders(series)) {
      if (border + 5 < at || border > at + 5) continue;
      ++found;
      break;
    }
  }
  EXPECT_GT(found, kHours * 95 / 100);
  EXPECT_LT(alarms, kHours / 10);
}

TEST(Changes, PutTogetherWhatHappensAtTheSameTime) {
  Series rate = noise(1, 1'800), clock = noise(2, 1'800), hotspot = noise(3, 1'800), load = noise(4, 1'800);
  for (double& one : clock) one = 2'450 + 10 * (one - 100);
  add(rate, 900, 1'800, -25);
  add(clock, 897, 1'800, -470);
  for (std::size_t i = 0; i < 1'800; ++i) load[i] = 50 + 0.1 * (load[i] - 100);
  for (std::size_t i = 1'300; i < 1'800; ++i) hotspot[i] += 6 * (hotspot[i] - 100);
  const Changes changes = find_changes({of("frame.rate", Unit::frames_per_second, rate, DeviceKind::frames),
                                        of("gpu.clock", Unit::megahertz, clock), of("gpu.power", Unit::watt, hotspot),
                                        of("gpu.load", Unit::percent, load)});
  ASSERT_EQ(changes.events.size(), 2u);
  const ChangeEvent& drop = changes.events[0];
  EXPECT_NEAR(in_seconds(drop.at.time_since_epoch()), 897, 3);
  ASSERT_EQ(drop.readings.size(), 2u);
  EXPECT_EQ(drop.readings[0].info.id, "frame.rate") << "first, though the clock fell by more of its noise";
  EXPECT_NEAR(drop.readings[0].before, 100, 1);
  EXPECT_NEAR(drop.readings[0].after, 75, 1);
  EXPECT_NEAR(drop.readings[1].spreads, 47, 8);
  ASSERT_EQ(drop.as_before.size(), 1u);
  EXPECT_EQ(drop.as_before[0].id, "gpu.load");
  const ChangeEvent& wild = changes.events[1];
  EXPECT_EQ(wild.readings[0].kind, ChangeKind::spread);
  EXPECT_NEAR(in_seconds(wild.at.time_since_epoch()), 1'300, 20);
  EXPECT_NEAR(wild.readings[0].after / wild.readings[0].before, 7, 3);
}

TEST(Changes, NameSpikesStuckSensorsAndWhatCannotBe) {
  Series spiky = noise(1, 900), stuck = noise(2, 900), wrong = noise(3, 900);
  spiky[400] += 60;
  for (std::size_t i = 300; i < 500; ++i) stuck[i] = stuck[300];
  for (double& one : wrong) one -= 60;
  wrong[700] = 3'000;
  const Changes changes = find_changes({of("gpu.power", Unit::watt, spiky), of("cpu.power", Unit::watt, stuck),
                                        of("gpu.temp", Unit::celsius, wrong), of("fan", Unit::rpm, Series(900, 800))});
  EXPECT_TRUE(changes.events.empty()) << event_words(changes.events.front());
  ASSERT_EQ(changes.oddities.size(), 4u);
  EXPECT_EQ(changes.oddities[0].kind, OddKind::impossible);
  EXPECT_EQ(changes.oddities[0].value, 3'000);
  EXPECT_EQ(changes.oddities[1].kind, OddKind::stuck);
  EXPECT_EQ(changes.oddities[1].length, 199 * kSecond);
  EXPECT_EQ(changes.oddities[2].info.id, "gpu.temp") << "a spike too";
  EXPECT_EQ(changes.oddities[3].info.id, "gpu.power");
  EXPECT_NEAR(changes.oddities[3].spreads, 60, 12);
  EXPECT_EQ(in_seconds(changes.oddities[3].at.time_since_epoch()), 400);
}

TEST(Changes, TellTrendsAndBriefChanges) {
  Series heat = noise(4, 1'200), power = noise(5, 1'200), rate = noise(6, 1'200);
  for (std::size_t i = 0; i < heat.size(); ++i) {
    heat[i] = 60 + 0.3 * (heat[i] - 100) + 20.0 * static_cast<double>(i) / 1'200;
  }
  add(power, 700, 709, -30);
  const Changes changes = find_changes({of("gpu.temp", Unit::celsius, heat), of("gpu.power", Unit::watt, power),
                                        of("frame.rate", Unit::frames_per_second, rate, DeviceKind::frames)});
  ASSERT_EQ(changes.events.size(), 2u);
  const ReadingChange &trend = changes.events[0].readings[0], &brief = changes.events[1].readings[0];
  EXPECT_EQ(trend.kind, ChangeKind::trend);
  EXPECT_NEAR(trend.before, 60, 0.5);
  EXPECT_NEAR(trend.after, 80, 0.5);
  EXPECT_EQ(change_words(trend), "gpu.temp rose from 60 to 80 °C until 20:00");
  EXPECT_EQ(brief.kind, ChangeKind::brief);
  EXPECT_NEAR(brief.after, 70, 1);
  EXPECT_NEAR(brief.before, 100, 1);
  EXPECT_NEAR(in_seconds(brief.until - brief.at), 9, 1);
}

TEST(Changes, SayATrendBetweenTwoLevelsOnce) {
  Series heat = noise(4);
  for (std::size_t i = 0; i < heat.size(); ++i)
    heat[i] = 60 + 0.3 * (heat[i] - 100) + std::clamp((static_cast<double>(i) - 600) / 60, 0.0, 20.0);
  const Changes changes = find_changes({of("gpu.temp", Unit::celsius, heat)});
  ASSERT_EQ(changes.events.size(), 1u);
  const ReadingChange& trend = changes.events[0].readings[0];
  EXPECT_EQ(trend.kind, ChangeKind::trend);
  EXPECT_NEAR(in_seconds(trend.at.time_since_epoch()), 600, 40);
  EXPECT_NEAR(in_seconds(trend.until.time_since_epoch()), 1'800, 40);
  EXPECT_NEAR(trend.before, 60, 0.7);
  EXPECT_NEAR(trend.after, 80, 0.7);
}

/// A fan that stops, memory that fills: one change, from the first second that left the level.
TEST(Changes, ThatTakeSecondsBeginWithTheFirst) {
  for (const double time : {2.0, 4.0, 8.0}) {
    Series level = noise(8, 1'200);
    for (std::size_t i = 600; i < level.size(); ++i)
      level[i] += 60 * (1 - std::exp(-static_cast<double>(i - 600) / time));
    const Changes changes = find_changes({of("gpu.memory.used", Unit::mebibyte, level)});
    ASSERT_EQ(changes.events.size(), 1u) << time;
    const ReadingChange& change = changes.events[0].readings[0];
    EXPECT_EQ(change.kind, ChangeKind::level);
    EXPECT_NEAR(change.before, 100, 1) << time;
    EXPECT_NEAR(change.after, 160, 2) << time;
    EXPECT_NEAR(in_seconds(change.at.time_since_epoch()), 601, 1) << time;
  }
}

/// docs/statistics.md has more hours of them.
TEST(Changes, AreToldWrongInAtMostOneOfTenQuietHours) {
  constexpr std::uint64_t kHours = 60;
  for (const rig::HourKind& kind : rig::quiet_hours()) {
    std::size_t told = 0;
    for (std::uint64_t hour = 1; hour <= kHours; ++hour) told += rig::told_of(kind, hour).size();
    EXPECT_LE(told, kHours / 10) << kind.name;
  }
}

TEST(Changes, AreToldAsWhatTheyAre) {
  constexpr int kHours = 40;
  for (const rig::EventfulHour& one : rig::eventful_hours()) {
    int right = 0;
    for (std::uint64_t hour = 1; hour <= kHours; ++hour) {
      const auto told = rig::told_of(one.hour, 1'000 + hour);
      right += told.size() == 1 && told[0].kind == one.kind ? 1 : 0;
    }
    EXPECT_GE(right, kHours * one.share) << one.hour.name;
  }
}

TEST(Changes, AreNotToldOfAPause) {
  RunSeries load{{.id = "gpu.load", .unit = Unit::percent}, {}, {}};
  RunSeries power{{.id = "gpu.power", .unit = Unit::watt}, {}, {}};
  const Series noisy = noise(7, 1'200);
  for (std::size_t i = 0; i < noisy.size(); ++i) {
    if (i >= 400 && i < 700) continue;  // nothing was logged for five minutes
    for (RunSeries* one : {&load, &power}) {
      one->at.push_back(Moment{kSecond * static_cast<std::int64_t>(i)});
      one->values.emplace_back(noisy[i] - 40);
    }
  }
  const auto seconds = seconds_of({}, {load, power});
  EXPECT_EQ(seconds[0].values.size(), 900u) << "nothing is interpolated";
  EXPECT_EQ(seconds[0].moment(400), Moment{700 * kSecond});
  const Changes changes = find_changes(seconds);
  EXPECT_TRUE(changes.events.empty());
  ASSERT_EQ(changes.oddities.size(), 1u) << "one gap of both";
  EXPECT_EQ(oddity_words(changes.oddities[0]), "From 6:40 to 11:40 there are no values of gpu.load and 1 other");
}

TEST(SecondSeries, AreMediansOfEachSecond) {
  std::vector<FrameRecord> frames;
  for (int i = 1; i <= 250; ++i) frames.push_back({Moment{i * 10 * kMillisecond}, 10 * kMillisecond});
  frames[149].interval = 40 * kMillisecond;
  RunSeries load{{.id = "gpu.load", .unit = Unit::percent}, {}, {}};
  for (const auto& [at, value] : {std::pair{0.1, 10.0}, {0.4, 30.0}, {0.9, 20.0}, {2.5, 60.0}, {1.5, 7.0}}) {
    load.at.push_back(Moment{from_seconds(at)});
    load.values.emplace_back(value);
  }
  RunSeries text{{.id = "game.api", .text = true}, {Moment{}}, {std::string("OpenGL")}};
  const auto all = seconds_of(frames, {load, text});
  ASSERT_EQ(all.size(), 4u);
  EXPECT_EQ(all[0].info.id, "frame.rate");
  EXPECT_EQ(all[0].values.size(), 2u) << "the last second isn't whole";
  EXPECT_NEAR(all[0].values[1], 100 / 1.03, 0.01);
  EXPECT_EQ(all[1].values[1], 10);
  EXPECT_EQ(all[3].values, (Series{20, 20, 60}))
      << "a second without a sample has the one before it; what comes late is left out";
}

}  // namespace
}  // namespace idlemeter
