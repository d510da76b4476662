// What goes out and comes in: readings as metrics, a run's overlay as pictures, sound and tables.
#include <benchmark/benchmark.h>
#include <unistd.h>

#include <filesystem>
#include <random>

#include "idlemeter/base/time.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/face/starters.hpp"
#include "idlemeter/footage/clip.hpp"
#include "idlemeter/footage/footage.hpp"
#include "idlemeter/frames/frame_histogram.hpp"
#include "idlemeter/meter/watch.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/runs/reading_table.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/store.hpp"
#include "idlemeter/serve/metrics.hpp"
#include "simulation.hpp"

namespace {

using namespace idlemeter;
namespace fs = std::filesystem;

fs::path file_of_its_own(const char* name) {
  return fs::temp_directory_path() / ("idlemeter-bench-" + std::to_string(getpid()) + name);
}

void histogram_of_frames(benchmark::State& state) {
  std::mt19937_64 random(1);
  std::lognormal_distribution<double> milliseconds(2.3, 0.4);
  std::vector<Nanoseconds> frames;
  for (int i = 0; i < 100'000; ++i)
    frames.push_back(Nanoseconds(static_cast<std::int64_t>(1e6 * milliseconds(random))));
  FrameHistogram histogram;
  for (auto _ : state) {
    for (const Nanoseconds frame : frames) histogram.add(frame);
  }
  benchmark::DoNotOptimize(histogram.count());
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(frames.size()));
}
BENCHMARK(histogram_of_frames)->Unit(benchmark::kMicrosecond);

/// All readings of a rig, as often as they are sampled.
void metrics_of_a_rig(benchmark::State& state) {
  const fs::path folder = file_of_its_own("-tree");
  rig::Simulation simulation(folder, {});
  simulation.play(5);
  GameFrames games;
  games.take("rig", "Tidepool Rally", simulation.frame_times());
  for (auto _ : state) benchmark::DoNotOptimize(metrics_text(simulation.values(), games, MetricsFormat::open_metrics));
  fs::remove_all(folder);
}
BENCHMARK(metrics_of_a_rig)->Unit(benchmark::kMicrosecond);

/// Pictures of 1920x1080 at 60 a second, without the encoder.
void pictures_of_a_run(benchmark::State& state) {
  const fs::path folder = file_of_its_own("-tree"), file = file_of_its_own(".db");
  {
    Store store(file);
    rig::Simulation simulation(folder, {});
    Recorder recorder(store, simulation.details());
    simulation.play(20, &recorder);
    const std::int64_t run = recorder.finish();
    const FootageOptions options{.length = 20 * kSecond};
    std::optional<Footage> footage;
    std::int64_t left = 0;
    for (auto _ : state) {
      if (left-- == 0) {
        state.PauseTiming();
        footage.emplace(store, run, *parse_face(find_starter("benchmark")->toml).face, options);
        left = footage->pictures() - 1;
        state.ResumeTiming();
      }
      benchmark::DoNotOptimize(footage->next());
    }
    state.SetItemsProcessed(state.iterations());
  }
  fs::remove_all(folder);
  for (const char* end : {"", "-wal", "-shm"}) fs::remove(file.string() + end);
}
BENCHMARK(pictures_of_a_run)->Unit(benchmark::kMicrosecond);

/// A minute of a clip's sound, looked through for the tone of a start.
void tone_in_sound(benchmark::State& state) {
  constexpr int kRate = 8'000;
  std::mt19937 random(1);
  std::vector<std::int16_t> sound(60 * kRate);
  for (std::int16_t& sample : sound) sample = static_cast<std::int16_t>(static_cast<int>(random() % 8'000) - 4'000);
  for (auto _ : state) benchmark::DoNotOptimize(cues_in(sound, kRate, CueTone::start));
  state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(sound.size()));
}
BENCHMARK(tone_in_sound)->Unit(benchmark::kMillisecond);

/// An hour of twenty readings, as another program would write it.
void table_of_readings(benchmark::State& state) {
  std::string table = "time (s)";
  for (int i = 0; i < 20; ++i) table += ",reading " + std::to_string(i) + " (W)";
  for (int second = 0; second < 3'600; ++second) {
    table += "\n" + std::to_string(second);
    for (int i = 0; i < 20; ++i) table += "," + std::to_string(100 + (second * 7 + i) % 13) + ".25";
  }
  for (auto _ : state) benchmark::DoNotOptimize(parse_reading_table(table, "table"));
  state.SetBytesProcessed(state.iterations() * static_cast<std::int64_t>(table.size()));
}
BENCHMARK(table_of_readings)->Unit(benchmark::kMillisecond);

/// What a watcher of a game at 500 FPS is sent 30 times a second, with twenty readings.
void meter_update(benchmark::State& state) {
  MeterUpdate update;
  update.state.games.push_back({.pid = 77, .name = "Tidepool Rally", .api = "Vulkan 1.3", .picture = "2560x1440"});
  MeterUpdate::Game& game = update.games.emplace_back();
  for (int i = 1; i <= 17; ++i) game.frames.push_back({Moment{i * 2 * kMillisecond}, 2 * kMillisecond, kMillisecond});
  for (int i = 0; i < 20; ++i) update.values["cpu.core" + std::to_string(i) + ".load"] = 12.345 + i;
  for (auto _ : state) benchmark::DoNotOptimize(update_from_json(to_json(update)));
}
BENCHMARK(meter_update)->Unit(benchmark::kMicrosecond);

}  // namespace
