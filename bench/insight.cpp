// Frame logs in, changes found, reports out.
#include <benchmark/benchmark.h>
#include <fmt/format.h>
#include <unistd.h>

#include <cmath>
#include <filesystem>
#include <random>

#include "idlemeter/base/time.hpp"
#include "idlemeter/insight/figure_set.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/insight/second_series.hpp"
#include "idlemeter/insight/stretches.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/report/report_page.hpp"
#include "idlemeter/runs/frame_log.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/store.hpp"

namespace {

using namespace idlemeter;

/// Of three columns, all of them read.
void frame_log(benchmark::State& state) {
  std::string text = "time (s),frame time (ms),GPU work (ms)\n";
  std::mt19937_64 random(7);
  double at = 0;
  for (std::int64_t i = 0; i < state.range(0); ++i) {
    const double ms = 8 + static_cast<double>(random() % 1'000) / 500;
    at += ms / 1e3;
    fmt::format_to(std::back_inserter(text), "{:.6f},{:.4f},{:.4f}\n", at, ms, 0.9 * ms);
  }
  for (auto _ : state) benchmark::DoNotOptimize(parse_frame_log(text, "bench"));
  state.SetBytesProcessed(state.iterations() * static_cast<std::int64_t>(text.size()));
}
BENCHMARK(frame_log)->Arg(100'000)->Unit(benchmark::kMillisecond);

/// An hour and a day of seconds without a change.
void stretches(benchmark::State& state) {
  std::mt19937_64 random(7);
  std::normal_distribution<double> normal;
  std::vector<double> series(static_cast<std::size_t>(state.range(0)));
  for (double& one : series) one = normal(random);
  for (auto _ : state) benchmark::DoNotOptimize(stretches_of(series, noise_of(series)));
  state.SetItemsProcessed(state.iterations() * state.range(0));
}
BENCHMARK(stretches)->Arg(3'600)->Arg(86'400)->Unit(benchmark::kMillisecond);

/// A log of 250 readings twice a second, from the store: as samples, as seconds, and as whole series.
void log_seconds(benchmark::State& state) {
  const auto file = std::filesystem::temp_directory_path() / fmt::format("idlemeter-bench-{}.db", ::getpid());
  {
    Store store(file);
    Recorder recorder(store, {}, [] { return Moment{}; });
    std::vector<ReadingInfo> infos;
    for (int i = 0; i < 250; ++i) infos.push_back({.id = fmt::format("a.r{}", i)});
    const auto list = std::make_shared<const ReadingList>(infos);
    std::mt19937_64 random(7);
    for (int i = 0; i < 7'200; ++i) {
      const Moment at{i * kSecond / 2};
      std::vector<Value> values;
      for (int r = 0; r < 250; ++r) values.emplace_back(40 + 0.125 * static_cast<double>(random() % 9));
      recorder.add(at, Snapshot(at, {std::make_shared<const Batch>(Batch{list, std::move(values), at})}));
    }
    const std::int64_t run = recorder.finish();
    for (auto _ : state) {
      if (state.range(0) == 0) store.read_samples(run, [](const RunSamples& part) { benchmark::DoNotOptimize(&part); });
      if (state.range(0) == 1) benchmark::DoNotOptimize(seconds_of(store, run));
      if (state.range(0) == 2) benchmark::DoNotOptimize(store.series(run));
    }
    state.SetItemsProcessed(state.iterations() * 7'200 * 250);
  }
  for (const char* suffix : {"", "-wal", "-shm"}) std::filesystem::remove(file.string() + suffix);
}
BENCHMARK(log_seconds)->DenseRange(0, 2)->Unit(benchmark::kMillisecond)->UseRealTime();

/// A minute at about 120 frames a second.
std::int64_t record_minute(Store& store, std::mt19937_64& random) {
  Recorder recorder(store, {.game = "Tidepool Rally"}, [] { return Moment{}; });
  Moment at{};
  for (int i = 0; i < 7'200; ++i) {
    const Nanoseconds interval = 8 * kMillisecond + Nanoseconds(static_cast<std::int64_t>(random() % 1'000'000));
    recorder.add({at += interval, interval, interval / 2});
  }
  return recorder.finish();
}

/// Ten runs of a minute at 120 frames a second in two groups, from the store to the page.
void report(benchmark::State& state) {
  const auto file = std::filesystem::temp_directory_path() / fmt::format("idlemeter-bench-{}.db", ::getpid());
  {
    Store store(file);
    const FigureSet figures({"frame.average", "frame.low@1%"});
    std::vector<RunGroup> groups = {{"before", {}}, {"after", {}}};
    std::mt19937_64 random(7);
    for (int run = 0; run < 10; ++run) {
      const std::int64_t id = record_minute(store, random);
      groups[run < 5 ? 0 : 1].runs.push_back(insight_of(store, id, {.figures = figures.request()}));
    }
    for (auto _ : state) benchmark::DoNotOptimize(report_page(store, groups, figures));
  }
  for (const char* suffix : {"", "-wal", "-shm"}) std::filesystem::remove(file.string() + suffix);
}
BENCHMARK(report)->Unit(benchmark::kMillisecond);

/// A hundred runs of a minute, worked out of their frames or found as they were kept.
void run_list(benchmark::State& state) {
  const auto file = std::filesystem::temp_directory_path() / fmt::format("idlemeter-bench-{}.db", ::getpid());
  {
    Store store(file);
    std::vector<std::int64_t> runs;
    std::mt19937_64 random(7);
    for (int run = 0; run < 100; ++run) runs.push_back(record_minute(store, random));
    const FigureSet figures({"frame.average", "frame.low@1%"});
    InsightOptions how{.figures = figures.request(), .readings = figures.readings()};
    for (auto _ : state) {
      how.hitches = state.range(0) == 0 ? 1 : 0;
      benchmark::DoNotOptimize(insights_of(store, runs, how));
    }
    state.SetItemsProcessed(state.iterations() * 100);
  }
  for (const char* suffix : {"", "-wal", "-shm"}) std::filesystem::remove(file.string() + suffix);
}
BENCHMARK(run_list)->DenseRange(0, 1)->Unit(benchmark::kMillisecond);

}  // namespace
