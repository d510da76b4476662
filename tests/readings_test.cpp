// Units, values, snapshots, misspelt words.
#include <gtest/gtest.h>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/frames/frame_statistic.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/readings/frame_readings.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/reading_filter.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter {
namespace {

Snapshot snapshot_of(std::vector<std::string> ids) {
  std::vector<ReadingInfo> infos;
  for (const std::string& id : ids) infos.push_back({id, "t", "b", "d"});
  auto batch = std::make_shared<Batch>();
  batch->list = std::make_shared<const ReadingList>(infos);
  for (std::size_t i = 0; i < infos.size(); ++i) batch->values.emplace_back(static_cast<double>(i));
  return Snapshot(Moment{kSecond}, {batch});
}

TEST(Units, ConvertExactlyWithinADimension) {
  using enum Unit;
  const struct {
    double value;
    Unit from, to;
    std::optional<double> result;
  } cases[] = {{100, celsius, fahrenheit, 212},
               {-40, fahrenheit, celsius, -40},
               {37, celsius, fahrenheit, 98.6},
               {2450, megahertz, gigahertz, 2.45},
               {1.5, gibibyte, mebibyte, 1536},
               {1, gibibyte, byte, 1073741824},
               {1, gigabyte, mebibyte, 953.67431640625},
               {1, megabyte_per_second, megabit_per_second, 8},
               {1, watt_hour, joule, 3600},
               {1, milliwatt_hour, joule, 3.6},
               {250, milliwatt, watt, 0.25},
               {16.6, millisecond, microsecond, 16600},
               {2, hour, minute, 120},
               {5, rpm, percent, {}},
               {5, none, watt, {}},
               {5, watt, watt, 5}};
  for (const auto& c : cases) {
    const auto result = convert(c.value, c.from, c.to);
    ASSERT_EQ(result.has_value(), c.result.has_value()) << symbol(c.from) << " to " << symbol(c.to);
    EXPECT_DOUBLE_EQ(result.value_or(0), c.result.value_or(0)) << symbol(c.from) << " to " << symbol(c.to);
  }
}

TEST(Units, AreFoundByTheirSymbols) {
  for (Unit unit : all_units()) {
    EXPECT_EQ(unit_from(symbol(unit)), unit) << symbol(unit);
    for (Unit other : all_units()) {
      const auto there = convert(12.5, unit, other);
      EXPECT_NEAR(there ? *convert(*there, other, unit) : 12.5, 12.5, 1e-9) << symbol(unit) << ' ' << symbol(other);
    }
  }
  EXPECT_EQ(unit_from("mhz"), Unit::megahertz);
  EXPECT_EQ(unit_from("C"), Unit::celsius);
  EXPECT_EQ(unit_from("furlong"), std::nullopt);
}

TEST(Units, NumbersAreWrittenPlainly) {
  const struct {
    double value;
    int digits;
    const char* text;
  } cases[] = {{71.26, 1, "71.3"},   {-0.01, 1, "0.0"}, {-0.06, 1, "-0.1"},
               {1e7, 0, "10000000"}, {99.5, 0, "100"},  {2, -1, "2"}};
  for (const auto& c : cases) EXPECT_EQ(format_number(c.value, c.digits), c.text);
}

TEST(Values, AreFormattedWithTheirUnit) {
  const ReadingInfo temp{"gpu.temp", "", "", "", DeviceKind::graphics, Unit::celsius};
  EXPECT_EQ(format_value(temp, 70.6), "71 °C");
  EXPECT_EQ(format_value(temp, Missing{"gone"}), "–");
  EXPECT_EQ(format_value(temp, std::string("hot")), "hot");
}

TEST(Snapshots, FindByIdAndShowEachOnce) {
  const Snapshot one = snapshot_of({"a", "b"});
  const Snapshot both = one.with(std::make_shared<Batch>(
      Batch{std::make_shared<const ReadingList>(std::vector<ReadingInfo>{{"b"}, {"c"}}), {8.0, 9.0}, {}}));
  EXPECT_EQ(number(*both.find("b").value), 1.0);  // the first source counts
  EXPECT_EQ(number(*both.find("c").value), 9.0);
  EXPECT_EQ(both.find("nothing").info, nullptr);
  EXPECT_EQ(both.entries().size(), 3u);
  EXPECT_EQ(one.entries().size(), 2u);
}

TEST(NearestIds, FindTheIntendedId) {
  const Snapshot values = snapshot_of({"cpu.load", "cpu.temp", "cpu.core3.clock", "gpu.hotspot.temp", "gpu.memory.used",
                                       "gpu.load", "ram.used", "frame.rate", "frame.low@1%", "frame.low@0.1%"});
  const struct {
    const char* wrong;
    const char* right;
  } cases[] = {{"gpu.hotspt.temp", "gpu.hotspot.temp"}, {"GPU.Load", "gpu.load"},
               {"hotspot", "gpu.hotspot.temp"},         {"cpu.laod", "cpu.load"},
               {"frame.low@0.1", "frame.low@0.1%"},     {"memory.gpu.used", "gpu.memory.used"},
               {"cpu.core3.clok", "cpu.core3.clock"},   {"frame.rat", "frame.rate"}};
  for (const auto& c : cases) {
    const auto near = nearest_ids(c.wrong, values);
    ASSERT_FALSE(near.empty()) << c.wrong;
    EXPECT_EQ(near.front(), c.right) << c.wrong;
  }
  EXPECT_TRUE(nearest_ids("xyzzy", values).empty());
  EXPECT_TRUE(nearest_ids(std::string(5000, 'c'), values).empty());
}

TEST(FrameReadings, EqualTheSummaryOfTheSameFrames) {
  FrameReadings frames;
  std::vector<Nanoseconds> intervals;
  for (int i = 0; i < 2'000; ++i) {
    intervals.push_back((i % 100 == 0 ? 40 : 10) * kMillisecond);
    frames.add({{}, intervals.back(), 9 * kMillisecond});
  }
  const Snapshot values({}, {frames.batch({})});
  const Summary summary = summarize(intervals);
  const auto value = [&](const char* id) { return number(*values.find(id).value).value_or(-1); };
  EXPECT_EQ(value("frame.average"), *summary.average_rate);
  EXPECT_EQ(value("frame.low@1%"), summary.low(Share{10'000})->rate);
  EXPECT_EQ(value("frame.low@0.1%"), summary.low(Share{1'000})->rate);
  EXPECT_EQ(value("frame.percentile@99%") * 1e6, summary.percentiles[2].frame_time);
  EXPECT_EQ(value("frame.min"), 25);
  EXPECT_EQ(value("frame.max"), 100);
  EXPECT_EQ(value("frame.rate"), 100);  // the last 50 frames of 10 ms fill half a second
  EXPECT_EQ(value("frame.time"), 10);
  EXPECT_EQ(value("frame.gpu"), 9);
  EXPECT_EQ(value("frame.count"), 2'000);
}

TEST(FrameReadings, SayWhatLimitsTheLastSecond) {
  FrameReadings frames;
  const auto play = [&](Nanoseconds interval, Nanoseconds work) {
    for (int i = 0; i < 100; ++i) frames.add({{}, interval + (i % 3) * kMillisecond, work});
    const Snapshot values({}, {frames.batch({})});
    return *values.find("frame.limit").value;
  };
  EXPECT_TRUE(std::holds_alternative<Missing>(*Snapshot({}, {frames.batch({})}).find("frame.limit").value));
  EXPECT_EQ(play(10 * kMillisecond, 12 * kMillisecond), Value("graphics card"));
  EXPECT_EQ(play(10 * kMillisecond, 3 * kMillisecond), Value("processor"));
  EXPECT_EQ(play(10 * kMillisecond, kUnknownTime), Value(Missing{"the graphics driver reports no GPU time"}));
}

TEST(FrameReadings, CoverTheSpansThatAreAskedFor) {
  FrameReadings frames({"frame.average@cleared", "frame.average@1s", "frame.low@50%@percentile@cleared", "gpu.load"});
  Moment now{};
  const auto play = [&](int count, Nanoseconds interval) {
    for (int i = 0; i < count; ++i) frames.add({now += interval, interval});
  };
  const auto value = [&](const char* id) {
    const Snapshot values(now, {frames.batch(now)});
    const Snapshot::Entry entry = values.find(id);
    return entry.value == nullptr ? -1 : number(*entry.value).value_or(-2);
  };
  const auto state = [&] {
    const Snapshot values(now, {frames.batch(now)});
    return std::get<std::string>(*values.find("recording.state").value);
  };
  play(100, 20 * kMillisecond);
  EXPECT_EQ(value("frame.average"), 50) << "before the first recording as since cleared";
  frames.begin_recording(now);
  play(100, 10 * kMillisecond);
  EXPECT_EQ(value("frame.average"), 100);
  EXPECT_EQ(value("frame.average@cleared"), 200 / 3.0);
  EXPECT_EQ(value("frame.average@1s"), 100);
  EXPECT_EQ(value("frame.low@50%@percentile@cleared"), 1e9 / 15e6);
  EXPECT_EQ(value("recording.time"), 1);
  EXPECT_EQ(state(), "on");
  frames.clear();
  EXPECT_EQ(value("frame.average"), 100) << "clearing doesn't touch a recording at work";
  EXPECT_EQ(value("frame.average@cleared"), -2);
  frames.end_recording(now);
  play(50, 40 * kMillisecond);
  EXPECT_EQ(value("frame.average"), 100) << "held";
  EXPECT_EQ(value("frame.average@cleared"), 25);
  EXPECT_EQ(value("recording.time"), 1);
  EXPECT_EQ(state(), "held");
  frames.ask({"frame.max@cleared"});
  EXPECT_EQ(value("frame.max@cleared"), 25) << "a span that goes on keeps its frames";
  EXPECT_EQ(value("frame.average@1s"), -1) << "no longer asked for";
  frames.clear();
  EXPECT_EQ(state(), "off");
  EXPECT_EQ(value("frame.average"), -2);
  frames.begin_recording(now, std::vector<FrameRecord>{{now, 10 * kMillisecond}});
  EXPECT_EQ(value("frame.average"), 100) << "with what came before it was known that it begins";
  frames.abandon_recording();
  play(1, 30 * kMillisecond);
  EXPECT_EQ(state(), "off");
  EXPECT_EQ(value("frame.average"), 50) << "a recording that failed leaves the figures going";
}

TEST(FrameReadings, GpuWorkStaysForASecondIfADriverReportsItRarely) {
  FrameReadings frames;
  const auto gpu = [&] {
    const Snapshot values({}, {frames.batch({})});
    return number(*values.find("frame.gpu").value);
  };
  frames.add({Moment{kSecond}, 10 * kMillisecond, 4 * kMillisecond});
  frames.add({Moment{2 * kSecond}, 10 * kMillisecond});
  EXPECT_EQ(gpu(), 4);
  frames.add({Moment{2 * kSecond + Nanoseconds{1}}, 10 * kMillisecond});
  EXPECT_FALSE(gpu());
}

TEST(FrameReadings, AreProvisionalWhileThereAreTooFewFramesForTheirShare) {
  FrameReadings frames({"frame.percentile@50%"});
  const auto provisional = [&](const char* id) { return Snapshot({}, {frames.batch({})}).find(id).provisional; };
  const auto play = [&](int count) {
    for (int i = 0; i < count; ++i) frames.add({{}, 10 * kMillisecond});
  };
  play(99);
  EXPECT_TRUE(provisional("frame.low@1%"));
  EXPECT_TRUE(provisional("frame.percentile@99%"));
  EXPECT_FALSE(provisional("frame.percentile@95%"));
  EXPECT_FALSE(provisional("frame.percentile@50%"));
  EXPECT_FALSE(provisional("frame.average"));
  play(1);
  EXPECT_FALSE(provisional("frame.low@1%"));
  EXPECT_FALSE(provisional("frame.percentile@99%"));
  EXPECT_TRUE(provisional("frame.low@0.1%"));
  play(900);
  EXPECT_FALSE(provisional("frame.low@0.1%"));
}

TEST(FrameStatistic, IdsAreReadAndWrittenBack) {
  for (const char* id : {"frame.average", "frame.low@0.1%", "frame.low@1%@percentile@10s", "frame.low@5%@time",
                         "frame.percentile@99.9%@cleared", "frame.max@0.5s", "frame.count@cleared"}) {
    const auto statistic = frame_statistic(id);
    ASSERT_TRUE(statistic) << id;
    EXPECT_EQ(id_of(*statistic), id);
  }
  EXPECT_EQ(id_of(*frame_statistic("frame.low@1.0%@slowest@recording")), "frame.low@1%");
  for (const char* id : {"frame.rate", "frame.low", "frame.low@", "frame.low@200%", "frame.low@1", "frame.average@1%",
                         "frame.low@1%@10s@cleared", "frame.low@1%@never", "frame.low@10s", "gpu.load", "", "frame.",
                         "frame.percentile@99%@time", "frame.max@0s", "frame.max@nans"})
    EXPECT_FALSE(frame_statistic(id)) << id;
}

TEST(FrameReadings, AreMissingBeforeTheFirstFrame) {
  const auto batch = FrameReadings().batch({});
  ASSERT_EQ(batch->values.size(), batch->list->readings().size());
  for (std::size_t i = 0; i + 2 < batch->values.size(); ++i)
    EXPECT_FALSE(number(batch->values[i])) << batch->list->readings()[i].id;
}

TEST(ReadingFilter, FindsByWordsAndKeepsDevicesTogether) {
  const auto reading = [](const char* id, const char* title, const char* device, DeviceKind kind,
                          Unit unit = Unit::none) {
    return ReadingInfo{.id = id, .title = title, .device = device, .kind = kind, .unit = unit};
  };
  const ReadingList list({reading("gpu.temp", "GPU temperature", "Marl G9", DeviceKind::graphics),
                          reading("cpu.load", "Processor load", "Corvid 8", DeviceKind::processor),
                          reading("gpu1.temp", "GPU temperature", "Marl I3", DeviceKind::graphics),
                          reading("gpu.load", "GPU load", "Marl G9", DeviceKind::graphics),
                          reading("clock.now", "Time of day", "System", DeviceKind::system),
                          reading("gpu.memory.used", "GPU memory used", "Marl G9", DeviceKind::graphics),
                          reading("ram.used", "Memory used", "Memory", DeviceKind::memory),
                          reading("frame.low@1%", "1% low", "Game", DeviceKind::frames, Unit::frames_per_second),
                          reading("frame.time", "Frame time", "Game", DeviceKind::frames, Unit::millisecond)});
  const auto shared = std::make_shared<const ReadingList>(list);
  const Snapshot snapshot(
      {}, {std::make_shared<Batch>(Batch{shared, std::vector<Value>(shared->readings().size(), 1.0), {}})});
  const struct {
    const char* word;
    std::vector<std::string> ids;
  } cases[] = {{"",
                {"cpu.load", "gpu.temp", "gpu.load", "gpu.memory.used", "gpu1.temp", "ram.used", "frame.low@1%",
                 "frame.time", "clock.now"}},
               {"TEMP", {"gpu.temp", "gpu1.temp"}},
               {"corvid", {"cpu.load"}},
               {"graphics", {"gpu.temp", "gpu.load", "gpu.memory.used", "gpu1.temp"}},
               {"g9 hot", {"gpu.temp"}},
               {"vra", {"gpu.memory.used"}},
               {"vr", {}},
               {"fps", {"frame.low@1%"}},
               {"1 low", {"frame.low@1%"}},
               {"usage", {"cpu.load", "gpu.load"}},
               {"nothing", {}},
               {"gpu nothing", {}}};
  for (const auto& c : cases) {
    std::vector<std::string> ids;
    for (const auto& entry : entries_with(snapshot, c.word)) ids.push_back(entry.info->id);
    EXPECT_EQ(ids, c.ids) << c.word;
  }
  EXPECT_TRUE(is_for_log(shared->readings()[0], {}));
  EXPECT_TRUE(is_for_log(shared->readings()[0], {"disk", "gpu"}));
  EXPECT_FALSE(is_for_log(shared->readings()[0], {"disk"}));
  EXPECT_FALSE(is_for_log(shared->readings()[4], {})) << "every sample has its time";
}

}  // namespace
}  // namespace idlemeter
