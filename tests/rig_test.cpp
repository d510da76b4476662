// The simulated machine and game: the same every time, and figures that hang together.
#include <gtest/gtest.h>

#include "folder.hpp"
#include "session.hpp"

namespace idlemeter::rig {
namespace {

double at(const Snapshot& values, const char* id) { return number(*values.find(id).value).value(); }

struct Played {
  std::vector<Nanoseconds> intervals;
  double gpu_work_share = 0;
};

Played play(const GameSettings& settings, double seconds) {
  Machine machine(settings.seed);
  TidepoolRally game(machine, settings);
  Played played;
  double work = 0;
  while (game.now() < seconds * kSecond) {
    const FrameRecord frame = game.next_frame();
    played.intervals.push_back(frame.interval);
    work += static_cast<double>(frame.gpu_work);
  }
  played.gpu_work_share = work / static_cast<double>(game.now());
  return played;
}

TEST(TidepoolRally, IsTheSameForASeedAndAnotherForAnother) {
  EXPECT_EQ(play({.seed = 3}, 10).intervals, play({.seed = 3}, 10).intervals);
  EXPECT_NE(play({.seed = 3}, 10).intervals, play({.seed = 4}, 10).intervals);
}

TEST(TidepoolRally, PresetsCostWhatTheySay) {
  double last = 1e9;
  for (const char* preset : {"Low", "Medium", "High", "Ultra"}) {
    const double rate = *summarize(play({.preset = preset}, 60).intervals).average_rate;
    EXPECT_LT(rate, last) << preset;
    last = rate;
  }
  EXPECT_LT(play({.preset = "Low"}, 20).gpu_work_share, 0.8);    // the processor holds it back
  EXPECT_GT(play({.preset = "Ultra"}, 20).gpu_work_share, 0.9);  // the GPU does
  EXPECT_THROW((void)play({.preset = "Insane"}, 1), std::invalid_argument);
}

TEST(TidepoolRally, StuttersAndHoldsARateLimit) {
  const Summary free = summarize(play({}, 60).intervals);
  EXPECT_GT(static_cast<double>(*free.longest), 3 * *free.median);
  EXPECT_NEAR(*summarize(play({.preset = "Low", .rate_limit = 60}, 30).intervals).average_rate, 60, 0.6);
}

TEST(Session, HeatBuildsUpAndThrottlesTheClock) {
  const testing::Folder folder;
  Session session(folder / "machine", {.preset = "Ultra"});
  session.play(2);
  const Snapshot cold = session.values();
  session.play(120);
  const Snapshot hot = session.values();
  EXPECT_GT(at(hot, "gpu.temp"), at(cold, "gpu.temp") + 15);
  EXPECT_GT(at(hot, "gpu.hotspot.temp"), at(hot, "gpu.temp"));
  EXPECT_LT(at(hot, "gpu.clock"), at(cold, "gpu.clock") - 50);
  EXPECT_GT(at(hot, "gpu.fan.speed"), at(cold, "gpu.fan.speed"));
  EXPECT_GT(at(hot, "cpu.load"), 10);
  EXPECT_LT(at(hot, "gpu.power"), at(hot, "gpu.power.limit"));
}

TEST(Session, ARecordedRunHoldsWhatTheGameDid) {
  const testing::Folder folder;
  Store store(folder / "runs.db");
  Session session(folder / "machine", {});
  session.play(5);
  Recorder recorder(store, session.details());
  session.play(20, &recorder);
  const std::int64_t id = recorder.finish();
  const Summary summary = summarize(store.intervals(id));
  EXPECT_NEAR(static_cast<double>(summary.time) / kSecond, 20, 0.1);
  EXPECT_EQ(at(session.values(), "frame.average"), *summary.average_rate);
  EXPECT_EQ(store.run(id).details.settings.at("Preset"), "High");
  for (const RunSeries& series : store.series(id)) {
    EXPECT_NEAR(static_cast<double>(series.at.size()), 40, 1) << series.info.id;
    EXPECT_LE(series.at.back(), 20.1 * kSecond);
  }
}

}  // namespace
}  // namespace idlemeter::rig
