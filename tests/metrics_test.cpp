// Frame histograms and metrics as texts, by the standards.
#include "idlemeter/serve/metrics.hpp"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <random>
#include <string>
#include <vector>

#include "idlemeter/base/error.hpp"
#include "idlemeter/frames/frame_histogram.hpp"
#include "idlemeter/readings/units.hpp"
#include "stores.hpp"

namespace idlemeter {
namespace {

using namespace std::chrono_literals;
using testing::snapshot_of;

TEST(FrameHistogram, HoldsPercentilesOfAllMachinesTogether) {
  const auto bounds = FrameHistogram::bounds();
  ASSERT_EQ(bounds.size() + 1, FrameHistogram::kBuckets);
  EXPECT_EQ(bounds.front(), kMillisecond);
  EXPECT_EQ(bounds[1], Nanoseconds(1'190'000));
  EXPECT_EQ(bounds.back(), kSecond);
  for (std::size_t i = 1; i < bounds.size(); ++i) EXPECT_GT(bounds[i], bounds[i - 1]);

  std::mt19937_64 random(1);
  std::lognormal_distribution<double> times(2.3, 0.5);
  std::vector<Nanoseconds> all;
  FrameHistogram sum;
  for (int machine = 0; machine < 3; ++machine) {
    FrameHistogram one;
    for (int i = 0; i < 20'000; ++i) {
      all.push_back(Nanoseconds(std::llround(1e6 * times(random) * (1 + machine))));
      one.add(all.back());
    }
    const FrameHistogram before = sum;
    sum.add(one);
    EXPECT_EQ(sum.since(before), one);
  }
  EXPECT_EQ(sum.count(), all.size());
  std::sort(all.begin(), all.end());
  for (const double share : {0.1, 0.5, 0.9, 0.99, 0.999}) {
    std::uint64_t below = 0;
    std::size_t bucket = 0;
    while (static_cast<double>(below += sum.counts()[bucket]) < share * static_cast<double>(all.size())) ++bucket;
    const Nanoseconds exact = all[static_cast<std::size_t>(share * static_cast<double>(all.size()))];
    EXPECT_LE(exact, bounds[bucket]) << share;
    EXPECT_GE(exact, bounds[bucket - 1]) << share;
  }
  FrameHistogram odd;
  for (const Nanoseconds time : {Nanoseconds(-5), Nanoseconds{}, kMillisecond, kSecond, kSecond + Nanoseconds(1)})
    odd.add(time);
  EXPECT_EQ(odd.count(), 3u);
  EXPECT_EQ(odd.counts().front(), 1u);
  EXPECT_EQ(odd.counts().back(), 1u);
  EXPECT_EQ(FrameHistogram().since(odd), FrameHistogram()) << "the game restarted";
}

TEST(GameFrames, OnlyGrow) {
  FrameHistogram few, more;
  few.add(kMillisecond);
  more.add(kMillisecond);
  more.add(kMillisecond);
  GameFrames games;
  games.take("7 1", "Tidepool Rally", few);
  games.take("7 1", "Tidepool Rally", more);
  games.take("7 2", "Tidepool Rally", few);
  games.take("7 2", "Tidepool Rally", {});
  games.take("7 2", "Tidepool Rally", few);
  EXPECT_EQ(games.all().at("Tidepool Rally").count(), 4u);
  for (int i = 0; i < 100; ++i) games.take(std::to_string(i), fmt::format("game {}", i), few);
  EXPECT_EQ(games.all().size(), 33u);
  EXPECT_EQ(games.all().at("other").count(), 69u);
}

TEST(MetricName, SaysWhatAndInWhich) {
  const struct {
    const char* id;
    DeviceKind kind;
    Unit unit;
    const char* name;
    double of_two;  ///< what 2 of the unit is
  } cases[] = {
      {"gpu.hotspot.temp", DeviceKind::graphics, Unit::celsius, "idlemeter_graphics_hotspot_temperature_celsius", 2},
      {"gpu1.load", DeviceKind::graphics, Unit::percent, "idlemeter_graphics_load_ratio", 0.02},
      {"cpu.core3.clock", DeviceKind::processor, Unit::megahertz, "idlemeter_processor_core_clock_hertz", 2e6},
      {"net.enp5s0.down", DeviceKind::network, Unit::megabit_per_second, "idlemeter_network_down_bytes_per_second",
       250'000},
      {"swap.used", DeviceKind::memory, Unit::mebibyte, "idlemeter_memory_swap_used_bytes", 2'097'152},
      {"own.count", DeviceKind::own, Unit::none, "idlemeter_own_count_value", 2},
      {"feed.Straße!", DeviceKind::own, Unit::millisecond, "idlemeter_own_stra__e_seconds", 0.002},
      {"own.room.temp", DeviceKind::own, Unit::fahrenheit, "idlemeter_own_room_temperature_celsius",
       -16.666666666666668},
      {"battery.left", DeviceKind::battery, Unit::watt_hour, "idlemeter_battery_left_joules", 7'200},
      {"frame.low@0.1%", DeviceKind::frames, Unit::frames_per_second, "idlemeter_frames_low_frames_per_second", 2}};
  for (const auto& one : cases) {
    const MetricName metric = metric_name({.id = one.id, .kind = one.kind, .unit = one.unit});
    EXPECT_EQ(metric.name, one.name);
    EXPECT_NEAR(2 * metric.factor + metric.offset, one.of_two, 1e-9 * std::abs(one.of_two)) << one.id;
  }
}

TEST(MetricsText, IsTheStandards) {
  FrameHistogram frames;
  frames.add(kMillisecond * 10);
  GameFrames games;
  games.take("1", "Rally \"Reef\"\\\n", frames);
  const Snapshot snapshot =
      snapshot_of({{.id = "gpu.load",
                    .title = "GPU load",
                    .device = "Marl \"G9\"\\",
                    .kind = DeviceKind::graphics,
                    .unit = Unit::percent},
                   {.id = "gpu.temp", .kind = DeviceKind::graphics, .unit = Unit::celsius},
                   {.id = "gpu.throttle", .device = "Marl", .kind = DeviceKind::graphics, .text = true},
                   {.id = "frame.rate", .kind = DeviceKind::frames, .unit = Unit::frames_per_second},
                   {.id = "cpu.name", .kind = DeviceKind::processor, .text = true}},
                  {50.0, Missing{"gone"}, std::string("heat"), 60.0, std::string("Corvid 8")});
  const std::string open = metrics_text(snapshot, games, MetricsFormat::open_metrics);
  for (const char* line :
       {"# TYPE idlemeter_graphics_load_ratio gauge\n# UNIT idlemeter_graphics_load_ratio ratio\n"
        "idlemeter_graphics_load_ratio{reading=\"gpu.load\",device=\"Marl \\\"G9\\\"\\\\\"} 0.5\n",
        "idlemeter_throttled{reading=\"gpu.throttle\",device=\"Marl\"} 1\n",
        "# TYPE idlemeter_machine info\nidlemeter_machine_info{processor=\"Corvid 8\",",
        "idlemeter_frame_time_seconds_bucket{game=\"Rally \\\"Reef\\\"\\\\\uFFFD\",le=\"0.00951\"} 0\n",
        "le=\"+Inf\"} 1\n", "idlemeter_frame_time_seconds_sum{game=\"Rally \\\"Reef\\\"\\\\\uFFFD\"} 0.01\n"})
    EXPECT_NE(open.find(line), std::string::npos) << line << open.substr(0, 600);
  EXPECT_TRUE(open.ends_with("# EOF\n"));
  const std::string plain = metrics_text(snapshot, games, MetricsFormat::prometheus);
  EXPECT_NE(plain.find("# TYPE idlemeter_machine_info gauge\n"), std::string::npos);
  EXPECT_EQ(plain.find("# UNIT"), std::string::npos);
  EXPECT_EQ(plain.find("temperature"), std::string::npos) << "missing";
  EXPECT_EQ(plain.find("frames_per_second"), std::string::npos) << "follows from the histogram";

  std::vector<ReadingInfo> many;
  for (int i = 0; i < 2'500; ++i) many.push_back({.id = fmt::format("own.x{}", i), .kind = DeviceKind::own});
  const std::string bounded =
      metrics_text(snapshot_of(many, std::vector<Value>(many.size(), 1.0)), {}, MetricsFormat::prometheus);
  EXPECT_NE(bounded.find("idlemeter_readings_left_out 500\n"), std::string::npos);
}

}  // namespace
}  // namespace idlemeter
