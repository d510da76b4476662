// The simulated machine and game: the same every time, and consistent.
#include <gtest/gtest.h>

#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"
#include "simulation.hpp"

namespace idlemeter::rig {
namespace {

double at(const Snapshot& values, const char* id) { return number(*values.find(id).value).value(); }

struct Played {
  std::vector<Nanoseconds> intervals;
  double gpu_work_share = 0;
};

Played play(const GameSettings& settings, double seconds) {
  Machine machine(specs().front(), settings.seed);
  TidepoolRally game(machine, settings);
  Played played;
  double work = 0;
  while (game.now() < Moment{from_seconds(seconds)}) {
    const FrameRecord frame = game.next_frame();
    played.intervals.push_back(frame.interval);
    work += in_seconds(frame.gpu_work);
  }
  played.gpu_work_share = work / in_seconds(game.now().time_since_epoch());
  return played;
}

TEST(TidepoolRally, FollowsItsSeed) {
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
  EXPECT_THROW((void)play({.preset = "Insane"}, 1), Error);
}

TEST(TidepoolRally, StuttersAndHoldsARateLimit) {
  const Summary free = summarize(play({}, 60).intervals);
  EXPECT_GT(static_cast<double>(free.longest->count()), 3 * *free.median);
  EXPECT_NEAR(*summarize(play({.preset = "Low", .rate_limit = 60}, 30).intervals).average_rate, 60, 0.6);
}

TEST(Session, HeatBuildsUpAndThrottlesTheClock) {
  const testing::Folder folder;
  Simulation session(folder / "machine", {.preset = "Ultra"});
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

/// What each machine must have a value for; what it must not have at all.
struct Rows {
  const char* kind;
  std::vector<const char*> there;
  std::vector<const char*> not_there;
};

TEST(Machines, HaveARowForEverythingThatTheyMeasure) {
  const Rows machines[] = {
      {"desktop",
       {"cpu.load",
        "cpu.core7.load",
        "cpu.core7.iowait",
        "cpu.core3.clock",
        "cpu.temp",
        "cpu.power",
        "cpu.pressure",
        "gpu.load",
        "gpu.memory.load",
        "gpu.temp",
        "gpu.hotspot.temp",
        "gpu.memory.temp",
        "gpu.clock",
        "gpu.memory.clock",
        "gpu.power",
        "gpu.power.limit",
        "gpu.voltage",
        "gpu.memory.used",
        "gpu.memory.total",
        "gpu.fan.speed",
        "gpu.fan.duty",
        "gpu.link.width",
        "gpu0.load",
        "gpu1.load",
        "gpu1.temp",
        "ram.used",
        "ram.speed",
        "swap.used",
        "disk.nvme0n1.read",
        "net.enp5s0.down",
        "nct6798.coolant.temp",
        "nct6798.vcore.voltage",
        "thermal.acpitz.temp",
        "game.cpu.load",
        "game.memory.used",
        "game.threads",
        "game.disk.read",
        "game.gpu.gfx.load",
        "game.gpu.memory.used",
        "frame.rate",
        "frame.time",
        "frame.gpu",
        "frame.latency",
        "frame.latency.average",
        "frame.average",
        "frame.low@1%",
        "frame.low@0.2%",
        "frame.low@0.1%",
        "frame.percentile@99%",
        "frame.min",
        "frame.max",
        "cpu.name",
        "gpu.name",
        "gpu.driver",
        "ram.type",
        "ram.name",
        "frame.span",
        "system.kernel",
        "system.profile",
        "cpu.governor",
        "game.name",
        "game.api",
        "game.picture",
        "clock.now"},
       {"battery.charge", "gpu2.load"}},
      {"laptop",
       {"battery.charge", "battery.power", "battery.left", "battery.state", "gpu.load", "gpu0.load", "gpu1.load",
        "net.wlp2s0.up"},
       {"nct6798.fan2.speed"}},
      {"handheld",
       {"battery.left", "gpu.load", "gpu.power", "cpu.core3.load", "gpu.kind"},
       {"gpu.hotspot.temp", "gpu1.load", "cpu.core4.load"}},
      {"proprietary",
       {"gpu.load", "gpu.memory.load", "gpu.temp", "gpu.clock", "gpu.memory.clock", "gpu.power", "gpu.power.limit",
        "gpu.fan.duty", "gpu.memory.used", "gpu.link.width", "gpu.name", "gpu.driver", "cpu.core11.load"},
       {"gpu.hotspot.temp", "gpu0.load"}},
      {"bare",
       {"cpu.load", "ram.used", "disk.vda.read", "net.eth0.down", "frame.rate"},
       {"gpu.load", "gpu.name", "cpu.temp", "ram.type", "battery.charge"}}};
  for (const Rows& machine : machines) {
    const testing::Folder folder;
    Simulation session(folder / "machine", {}, spec_of(machine.kind), MANAGEMENT_LIBRARY);
    session.play(20);
    for (const char* id : machine.there) {
      const auto entry = session.values().find(id);
      ASSERT_NE(entry.info, nullptr) << machine.kind << ' ' << id;
      EXPECT_FALSE(std::holds_alternative<Missing>(*entry.value))
          << machine.kind << ' ' << id << ": " << std::get<Missing>(*entry.value).reason;
      EXPECT_FALSE(entry.info->title.empty() || entry.info->brief.empty() || entry.info->source.empty()) << id;
    }
    for (const char* id : machine.not_there)
      EXPECT_EQ(session.values().find(id).info, nullptr) << machine.kind << ' ' << id;
  }
}

TEST(Machines, AreFoundByKindOrNameOrTheErrorNamesTheOthers) {
  EXPECT_EQ(spec_of("Laptop").name, "Sedge");
  EXPECT_EQ(spec_of("minnow").kind, "handheld");
  EXPECT_THROW((void)spec_of("toaster"), Error);
}

TEST(Session, ARecordedRunHoldsWhatTheGameDid) {
  const testing::Folder folder;
  Store store(folder / "runs.db");
  Simulation session(folder / "machine", {});
  session.play(5);
  Recorder recorder(store, session.details());
  session.play(20, &recorder);
  const std::int64_t id = recorder.finish();
  const Summary summary = summarize(store.intervals(id));
  EXPECT_NEAR(in_seconds(summary.time), 20, 0.1);
  EXPECT_EQ(at(session.values(), "frame.average"), *summary.average_rate);
  EXPECT_EQ(store.run(id).details.settings.at("Preset"), "High");
  for (const RunSeries& series : store.series(id)) {
    if (series.info.text) continue;  // kept where they change
    EXPECT_NEAR(static_cast<double>(series.at.size()), 40, 1) << series.info.id;
    EXPECT_LE(series.at.back(), Moment{from_seconds(20.1)});
  }
}

}  // namespace
}  // namespace idlemeter::rig
