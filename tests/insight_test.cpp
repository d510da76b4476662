// What runs say: intervals against known truths, and the simulated game's scenes found where they are.
#include <gtest/gtest.h>

#include <cmath>
#include <future>
#include <random>

#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/insight/interval.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/store.hpp"
#include "simulated_runs.hpp"
#include "simulation.hpp"
#include "stores.hpp"

namespace idlemeter {
namespace {

/// A stationary AR(1) process with unit variance.
std::vector<double> correlated(std::size_t n, double correlation, unsigned seed) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal(0, 1);
  std::vector<double> series(n);
  double z = normal(random);
  for (double& one : series) {
    one = z;
    z = correlation * z + std::sqrt(1 - correlation * correlation) * normal(random);
  }
  return series;
}

/// Frames of 9 ms in the median, log-normal.
std::vector<Nanoseconds> frames_like(const std::vector<double>& series) {
  std::vector<Nanoseconds> frames;
  for (const double z : series) frames.push_back(from_seconds(0.009 * std::exp(0.25 * z)));
  return frames;
}

TEST(Interval, MissesTheTruthInAtMost7PercentOfTheRuns) {
  const std::vector<Figure> figures = {{},
                                       {.kind = Figure::Kind::percentile},
                                       {.kind = Figure::Kind::percentile, .q = 0.99},
                                       {.kind = Figure::Kind::low, .share = Share::percent(1)}};
  constexpr unsigned kRuns = 300;
  std::vector<std::future<std::vector<rig::Coverage>>> all;
  const auto kinds = rig::run_kinds();
  for (const rig::RunKind& kind : kinds) {
    all.push_back(std::async(std::launch::async, [&] {
      return rig::coverage_of(kind, figures, 7'200, kRuns, kind.name == "Tidepool Rally" ? 500'000 : 2'000'000);
    }));
  }
  for (std::size_t i = 0; i < kinds.size(); ++i) {
    for (const rig::Coverage& one : all[i].get()) {
      EXPECT_LE(one.missed, kRuns * 7 / 100) << kinds[i].name;
      EXPECT_GE(one.given, kinds[i].is_steady ? kRuns * 95 / 100 : 0) << kinds[i].name;
    }
  }
}

TEST(Interval, HoldsTheFigure) {
  const auto frames = frames_like(correlated(6'000, 0.5, 2));
  const Summary summary = summarize(frames);
  for (const SureFigure& one :
       intervals_of(frames, {{Share::percent(1)}, {std::begin(kLowDefinitions), std::end(kLowDefinitions)}, {0.95}})) {
    ASSERT_TRUE(one.result.interval) << one.result.reason;
    const double figure = one.figure.kind == Figure::Kind::average ? 1e9 / *summary.average_rate
                          : one.figure.kind == Figure::Kind::low
                              ? summary.low(one.figure.share, one.figure.definition)->frame_time
                          : one.figure.q == 0.5 ? *summary.median
                                                : summary.percentiles[1].frame_time;
    EXPECT_LT(one.result.interval->low, figure);
    EXPECT_GT(one.result.interval->high, figure);
    EXPECT_EQ(interval_of(frames, one.figure).interval->low, one.result.interval->low);
  }
}

TEST(Interval, IsNotGivenIfItWouldNotBeHonest) {
  const auto reason = [](std::size_t n, double correlation, const Figure& figure) {
    return interval_of(frames_like(correlated(n, correlation, 1)), figure).reason;
  };
  EXPECT_EQ(reason(1'000, 0, {.kind = Figure::Kind::low, .share = Share::percent(0.1)}),
            "only 1 frames in the slowest 0.1%; at least 25 are needed");
  EXPECT_EQ(reason(40, 0, {}), "only 40 frames; at least 120 are needed");
  EXPECT_EQ(reason(1'000, 0, {.kind = Figure::Kind::percentile, .q = 0.99}),
            "only 10 frames beyond the percentile; at least 25 are needed");
  EXPECT_EQ(reason(600, 0.999, {}), "the level wanders over the run; only repeats can tell");
  EXPECT_THROW((void)interval_of({}, {}, {.confidence = 1}), Error);
  EXPECT_THROW((void)interval_of({}, {.kind = Figure::Kind::low, .share = Share{0}}), Error);
}

/// A run of the simulated game.
RunInsight played(const rig::GameSettings& settings, double warm_up, double seconds,
                  const InsightOptions& options = {}) {
  const testing::Folder folder;
  Store store(folder / "runs.db");
  rig::Simulation session(folder / "machine", settings);
  if (warm_up > 0) session.play(warm_up);
  Recorder recorder(store, session.details());
  session.play(seconds, &recorder);
  return insight_of(store, recorder.finish(), options);
}

std::vector<std::string> rules(const RunInsight& run) {
  std::vector<std::string> rules;
  for (const Doubt& doubt : run.doubts) rules.emplace_back(name_of(doubt.rule));
  return rules;
}

TEST(RunInsight, FindsWhatTheScenesPutThere) {
  const RunInsight calm = played({.preset = "Low", .upscaler = true}, 180, 60);
  EXPECT_EQ(rules(calm), std::vector<std::string>{}) << calm.doubts.at(0).text;
  EXPECT_EQ(calm.limits.main(), Limit::processor);
  EXPECT_TRUE(calm.limits_by_gpu_times);

  const RunInsight capped = played({.preset = "Low", .rate_limit = 60}, 180, 60);
  EXPECT_EQ(rules(capped), std::vector<std::string>{"capped"});
  EXPECT_GT(capped.limits.share(Limit::cap), 0.9);

  const RunInsight hot = played({.preset = "Ultra"}, 0, 25);
  EXPECT_EQ(hot.limits.main(), Limit::graphics);
  EXPECT_EQ(rules(hot), (std::vector<std::string>{"short", "warming-up"}));
  const RunInsight heated = played({.preset = "Ultra"}, 90, 40);
  const auto throttled = std::find_if(heated.doubts.begin(), heated.doubts.end(),
                                      [](const Doubt& doubt) { return doubt.rule == DoubtRule::throttled; });
  ASSERT_NE(throttled, heated.doubts.end());
  EXPECT_NE(throttled->text.find("Marl G9 throttled for "), std::string::npos) << throttled->text;
  EXPECT_NE(throttled->text.find("(heat)"), std::string::npos) << throttled->text;
  EXPECT_NE(hot.doubts[1].text.find("GPU hotspot temperature rose from"), std::string::npos) << hot.doubts[1].text;
}

/// A run of 200 s at 100 FPS with a hitch each 20 s, and two readings once a second: one that jumps with each hitch,
/// and one that jumps in 1 of 19 seconds.
TEST(RunInsight, BlamesNeitherBurstsNorMissesSlowReadings) {
  const testing::Folder folder;
  Store store(folder / "runs.db");
  Recorder recorder(store, {.game = "Tidepool Rally"}, [] { return Moment{}; });
  const ReadingInfo cause{.id = "disk.read", .title = "Disk reads", .unit = Unit::megabyte_per_second},
      bursts{.id = "net.down", .title = "Network", .unit = Unit::megabyte_per_second};
  Moment at{};
  bool hitched = false;
  std::int64_t sampled = 0;
  for (int i = 1; i <= 20'000; ++i) {
    const bool is_hitch = i % 2'000 == 1'030;
    const Nanoseconds length = (is_hitch ? 80 : 10) * kMillisecond;
    recorder.add({at += length, length, length / 2});
    hitched = hitched || is_hitch;
    if (at.time_since_epoch() / kSecond <= sampled) continue;
    ++sampled;
    recorder.add(at, testing::snapshot_of({cause, bursts}, {hitched ? 90.0 : 0.1, sampled % 19 == 7 ? 90.0 : 0.1}));
    hitched = false;
  }
  const RunInsight run = insight_of(store, recorder.finish(), {.hitches = 10});
  ASSERT_EQ(run.hitches.size(), 10u);
  for (const HitchInsight& one : run.hitches) {
    ASSERT_EQ(one.oddities.size(), 1u);
    EXPECT_EQ(one.oddities[0].info.id, "disk.read");
  }
}

TEST(RunInsight, ShowsWhatElseWasUnusualAtAHitch) {
  const RunInsight run = played({.preset = "High"}, 60, 60, {.hitches = 3});
  ASSERT_EQ(run.hitches.size(), 3u);
  for (const HitchInsight& one : run.hitches) {  // new scenes are read from the disk
    for (const auto& [id, times] :
         {std::pair("disk.nvme0n1.read", 10.0), {"game.disk.read", 10.0}, {"game.faults", 0.0}}) {
      const auto odd = std::find_if(one.oddities.begin(), one.oddities.end(),
                                    [&, id = id](const Oddity& oddity) { return oddity.info.id == id; });
      ASSERT_NE(odd, one.oddities.end()) << id;
      EXPECT_LT(odd - one.oddities.begin(), 3) << id << " is one of the farthest from usual";
      EXPECT_GT(odd->value, times * odd->usual) << id;
    }
  }
  EXPECT_NEAR(*run.frames_per_joule_both,
              *run.summary.average_rate / (run.reading("gpu.power")->all.mean + run.reading("cpu.power")->all.mean),
              1e-9);
}

TEST(RunInsight, LoadingScreensCanBeLeftOut) {
  const testing::Folder folder;
  Store store(folder / "runs.db");
  Recorder recorder(store, {});
  Moment at{};
  for (int i = 0; i < 4'000; ++i) {
    const Nanoseconds length = i == 2'000 ? 3 * kSecond : 10 * kMillisecond;
    recorder.add({at += length, length});
  }
  const std::int64_t id = recorder.finish();
  const RunInsight all = insight_of(store, id), without = insight_of(store, id, {.leave_out_loading = true});
  EXPECT_EQ(rules(all), std::vector<std::string>{"loading"});
  EXPECT_EQ(*all.summary.longest, 3 * kSecond);
  EXPECT_EQ(all.longest_at, Moment{20 * kSecond}) << "when it began";
  EXPECT_EQ(rules(without), std::vector<std::string>{});
  EXPECT_EQ(*without.summary.longest, 10 * kMillisecond);
  EXPECT_EQ(without.loading_frames, 1u);
  EXPECT_DOUBLE_EQ(*without.summary.average_rate, 100);
}

}  // namespace
}  // namespace idlemeter
