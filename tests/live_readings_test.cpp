// The one pipeline that live games, the simulated one and recorded runs go through.
#include "idlemeter/readings/live_readings.hpp"

#include <gtest/gtest.h>

#include <algorithm>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/computed_readings.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/run_sink.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter {
namespace {

constexpr Moment kOne{kSecond};

/// Keeps what it is given.
struct Kept final : RunSink {
  void add(std::span<const FrameRecord> some) override { frames.insert(frames.end(), some.begin(), some.end()); }
  void add(Moment at, const Snapshot& values) override { samples.emplace_back(at, values); }

  std::vector<FrameRecord> frames;
  std::vector<std::pair<Moment, Snapshot>> samples;
};

Snapshot machine(double load, Moment now) {
  static const auto list = std::make_shared<const ReadingList>(
      std::vector<ReadingInfo>{{.id = "cpu.load", .title = "Load", .brief = "CPU", .unit = Unit::percent}});
  return {now, {std::make_shared<const Batch>(Batch{list, {load}, now})}};
}

/// Frames of `length`, the first presented at `from` + `length`.
std::vector<FrameRecord> frames(Moment from, Nanoseconds length, int count) {
  std::vector<FrameRecord> made;
  for (int i = 1; i <= count; ++i) made.push_back({from + i * length, length});
  return made;
}

std::optional<double> value(const LiveReadings& live, std::string_view id) {
  const Snapshot::Entry entry = live.values().find(id);
  return entry.value == nullptr ? std::nullopt : number(*entry.value);
}

ComputedReading computed(const std::string& id, const std::string& formula) {
  return {.info = {.id = id, .title = id, .brief = id}, .formula = formula};
}

TEST(LiveReadings, JoinMachineFramesGameAndFormulas) {
  LiveReadings live({computed("own.a", "frame.average@cleared * cpu.load"), computed("own.b", "own.a + 1")});
  EXPECT_EQ(format_value({}, *live.update({}, Moment{}).find("game.name").value), "–");
  live.set_game({.name = "Tidepool Rally", .picture = "640x480"});
  live.add(frames(Moment{}, 10 * kMillisecond, 100));
  live.update(machine(2, kOne), kOne);
  EXPECT_EQ(*live.values().find("game.name").value, Value("Tidepool Rally"));
  EXPECT_EQ(std::get<Missing>(*live.values().find("game.api").value).reason, "not known of this game");
  EXPECT_NEAR(*value(live, "own.a"), 200, 1e-9) << "the span that only a formula names is kept too";
  EXPECT_NEAR(*value(live, "own.b"), 201, 1e-9);
  live.ask({"frame.low@5%@10s"});
  live.update(machine(2, kOne), kOne);
  EXPECT_NEAR(*value(live, "own.a"), 200, 1e-9) << "and stays when a face asks for others";
  EXPECT_TRUE(live.values().find("frame.low@5%@10s").info != nullptr);
  EXPECT_THROW(LiveReadings({computed("own.a", "(")}), Error);
}

TEST(LiveReadings, KeepThePastOfFramesAndOfUpdatesUnlessTold) {
  LiveReadings live;
  live.add(frames(Moment{}, 10 * kMillisecond, 3));
  live.update(machine(1, kOne), kOne);
  live.update(machine(2, kOne + kSecond), kOne + kSecond, LiveReadings::Past::skip);
  EXPECT_EQ(live.history().of("frame.time")->size(), 4u) << "three frames, and the value at the update";
  ASSERT_EQ(live.history().of("cpu.load")->size(), 1u);
  EXPECT_EQ(value(live, "cpu.load"), 2);
}

TEST(LiveReadings, HandARecordingItsFramesAndTwoSamplesASecond) {
  constexpr Moment kStart{100 * kSecond};
  Kept kept;
  LiveReadings live({computed("own.a", "frame.count * 2")});
  live.add(frames(kStart - kSecond, 10 * kMillisecond, 100));
  const auto early = frames(kStart, 10 * kMillisecond, 5);
  live.add(early);
  live.begin_recording(&kept, kStart, kStart + 2 * kSecond, early);
  for (int tick = 1; tick <= 90; ++tick) {  // three seconds
    const Moment now = kStart + tick * kSecond / 30;
    live.add(frames(now - kSecond / 30, kSecond / 60, 2));
    live.update(machine(tick, now), now);
    if (tick == 40) live.mark();
  }
  ASSERT_EQ(kept.frames.size(), 5u + 120u) << "none from before its start, none from after its end";
  EXPECT_EQ(kept.frames.front().at, Moment{10 * kMillisecond});
  EXPECT_LE(kept.frames.back().at, Moment{2 * kSecond});
  EXPECT_EQ(kept.samples.size(), 8u) << "at 0, 0.5 … 3 s, and one for the mark";
  const Snapshot& last = kept.samples.back().second;
  EXPECT_EQ(number(*last.find("recording.marks").value), 1);
  EXPECT_TRUE(last.find("own.a").info != nullptr);
  EXPECT_TRUE(last.find("frame.average").info == nullptr) << "follows from the frames";
  EXPECT_TRUE(live.is_recording());
  live.end_recording(kStart + 3 * kSecond);
  live.update(machine(1, kStart + 4 * kSecond), kStart + 4 * kSecond);
  EXPECT_EQ(kept.samples.size(), 8u);
  EXPECT_EQ(*live.values().find("recording.state").value, Value("held"));
  EXPECT_EQ(live.mark(), 0) << "nothing to mark";
}

TEST(LiveReadings, SampleAtAnUnevenPaceWithoutGaps) {
  for (const Nanoseconds offset : {0 * kMillisecond, 3 * kMillisecond, 490 * kMillisecond}) {
    Kept kept;
    LiveReadings live;
    live.begin_recording(&kept, Moment{offset});
    for (int i = 1; i <= 20; ++i) {  // every half second, up to 8 ms late
      const Moment now{i * kSecond / 2 + (i * 5 % 8) * kMillisecond};
      live.update(machine(i, now), now);
    }
    EXPECT_GE(kept.samples.size(), 19u) << in_milliseconds(offset);
  }
}

TEST(LiveReadings, GoOnAsBeforeAfterARecordingThatFailed) {
  LiveReadings live;
  live.add(frames(Moment{}, 10 * kMillisecond, 50));
  live.begin_recording(nullptr, kOne);
  live.abandon_recording();
  live.update({}, kOne);
  EXPECT_FALSE(live.is_recording());
  EXPECT_EQ(*live.values().find("recording.state").value, Value("off"));
}

/// Means of what became known within half a second, and since the recording began; only the former are recorded.
TEST(LiveReadings, TellHowLateFramesAre) {
  LiveReadings live;
  live.update({}, kOne);
  EXPECT_EQ(std::get<Missing>(*live.values().find("frame.screen.latency").value).reason,
            "the graphics driver doesn't report when frames reach the screen");
  for (int i = 1; i <= 20; ++i) live.add(FrameLatency{kOne + i * kSecond / 10, i * kMillisecond, kUnknownTime});
  live.update({}, kOne + 2 * kSecond);
  EXPECT_DOUBLE_EQ(*value(live, "frame.latency"), 17.5) << "of 15 to 20 ms";
  EXPECT_DOUBLE_EQ(*value(live, "frame.latency.average"), 10.5);
  Kept kept;
  live.begin_recording(&kept, kOne + 2 * kSecond);
  live.add(FrameLatency{kOne + 2 * kSecond, 30 * kMillisecond, 50 * kMillisecond});
  live.clear();  // not while a recording is in progress
  live.update({}, kOne + 2 * kSecond + kSecond / 10);
  EXPECT_DOUBLE_EQ(*value(live, "frame.latency.average"), 30);
  EXPECT_DOUBLE_EQ(*value(live, "frame.screen.latency.average"), 50);
  ASSERT_EQ(kept.samples.size(), 1u);
  EXPECT_NE(kept.samples[0].second.find("frame.screen.latency").value, nullptr);
  EXPECT_EQ(kept.samples[0].second.find("frame.latency.average").value, nullptr);
  live.update({}, kOne + 4 * kSecond);
  EXPECT_FALSE(value(live, "frame.latency")) << "too old";
}

}  // namespace
}  // namespace idlemeter
