// One sample of every reading of a large simulated machine, out of its files.
#include <benchmark/benchmark.h>
#include <unistd.h>

#include <filesystem>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/polling.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/sources/game_pid.hpp"
#include "idlemeter/sources/machine.hpp"
#include "large_machine.hpp"

namespace {

using namespace idlemeter;

void sample_all(benchmark::State& state) {
  const auto folder = std::filesystem::temp_directory_path() / ("idlemeter-bench-tree-" + std::to_string(getpid()));
  rig::Tree tree(folder);
  rig::Machine machine(rig::kLargeMachine);
  rig::write_tree(machine, tree);
  Polling polling(
      machine_sources({.root = folder, .game = std::make_shared<GamePid>(rig::kGameProcess), .graphics_library = ""}));
  const std::size_t readings = polling.sample(Moment{}).entries().size();
  Moment now{};
  for (auto _ : state) benchmark::DoNotOptimize(polling.sample(now += kMillisecond));
  state.counters["readings"] = static_cast<double>(readings);
  std::filesystem::remove_all(folder);
}
BENCHMARK(sample_all)->Unit(benchmark::kMicrosecond);

}  // namespace
