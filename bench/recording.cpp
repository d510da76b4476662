// Frames into the store.
#include <benchmark/benchmark.h>
#include <unistd.h>

#include <filesystem>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/store.hpp"

namespace {

using namespace idlemeter;

/// A million frames with GPU times, committed to the disk.
void record_frames(benchmark::State& state) {
  const auto file = std::filesystem::temp_directory_path() / ("idlemeter-bench-" + std::to_string(getpid()) + ".db");
  {
    Store store(file);
    for (auto _ : state) {
      Recorder recorder(store, {.game = "Tidepool Rally"});
      Moment at{};
      for (std::int64_t i = 0; i < state.range(0); ++i) {
        const Nanoseconds interval = kMillisecond + Nanoseconds{i % 1'000};
        at += interval;
        recorder.add({at, interval, interval / 2});
      }
      recorder.finish();
    }
  }
  state.SetItemsProcessed(state.iterations() * state.range(0));
  for (const char* suffix : {"", "-wal", "-shm"}) std::filesystem::remove(file.string() + suffix);
}
BENCHMARK(record_frames)->Arg(1'000'000)->Unit(benchmark::kMillisecond);

}  // namespace
