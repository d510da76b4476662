// The statistics of frames, all at once and as they arrive.
#include <benchmark/benchmark.h>

#include <random>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/frames/live_frames.hpp"
#include "idlemeter/readings/units.hpp"

namespace {

using namespace idlemeter;

/// Around 7 ms with a heavy tail, as a game's frames are.
std::vector<Nanoseconds> frames(std::size_t n) {
  std::mt19937_64 random(1);
  std::lognormal_distribution<double> shape(15.76, 0.25);
  std::vector<Nanoseconds> result(n);
  for (Nanoseconds& interval : result) interval = Nanoseconds(static_cast<std::int64_t>(shape(random)));
  return result;
}

/// Everything that a summary has; time a frame should not depend on n.
void summarize_all(benchmark::State& state) {
  const auto intervals = frames(static_cast<std::size_t>(state.range(0)));
  for (auto _ : state) benchmark::DoNotOptimize(summarize(intervals));
  state.SetItemsProcessed(state.iterations() * state.range(0));
}
BENCHMARK(summarize_all)->RangeMultiplier(10)->Range(1'000, 10'000'000)->Unit(benchmark::kMillisecond);

/// All lows by all definitions.
const SummaryRequest kLows{.percentiles = {}};

/// 1,000 frames a second, all lows asked for ten times a second, on a span that already holds `range` frames.
void live_growing(benchmark::State& state) {
  LiveFrames live = LiveFrames::growing();
  const auto intervals = frames(static_cast<std::size_t>(state.range(0)));
  for (Nanoseconds interval : intervals) live.add(interval);
  std::size_t i = 0;
  for (auto _ : state) {
    live.add(intervals[i++ % intervals.size()]);
    if (i % 100 == 0) benchmark::DoNotOptimize(live.summary(kLows));
  }
  state.SetItemsProcessed(state.iterations());
}
BENCHMARK(live_growing)->Arg(10'000)->Arg(1'000'000)->Iterations(500'000);

/// One summary with everything of a span of `range` frames, after ten new ones.
void live_summary(benchmark::State& state) {
  LiveFrames live = LiveFrames::growing();
  const auto intervals = frames(static_cast<std::size_t>(state.range(0)));
  for (Nanoseconds interval : intervals) live.add(interval);
  std::size_t i = 0;
  for (auto _ : state) {
    for (int n = 0; n < 10; ++n) live.add(intervals[i++ % intervals.size()]);
    benchmark::DoNotOptimize(live.summary());
  }
}
BENCHMARK(live_summary)->Arg(10'000)->Arg(1'000'000)->Iterations(10'000)->Unit(benchmark::kMicrosecond);

/// The same for a span of the last ten seconds.
void live_sliding(benchmark::State& state) {
  LiveFrames live = LiveFrames::sliding(10 * kSecond);
  const auto intervals = frames(100'000);
  std::size_t i = 0;
  for (auto _ : state) {
    live.add(intervals[i++ % intervals.size()]);
    if (i % 100 == 0) benchmark::DoNotOptimize(live.summary(kLows));
  }
  state.SetItemsProcessed(state.iterations());
}
BENCHMARK(live_sliding);

}  // namespace
