// usage: sampling_minute [SECONDS]: samples a large simulated machine every 500 ms in real time, its values changing as
// often, and prints what the sampler's threads cost. The machine is simulated by a child process, so that it doesn't
// count.
#include <signal.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <thread>

#include "idlemeter/readings/sampler.hpp"
#include "idlemeter/sources/game_pid.hpp"
#include "idlemeter/sources/machine.hpp"
#include "large_machine.hpp"

namespace {

using namespace idlemeter;
using namespace std::chrono_literals;

double processor_seconds() {
  rusage usage{};
  getrusage(RUSAGE_SELF, &usage);
  const auto seconds = [](const timeval& t) {
    return static_cast<double>(t.tv_sec) + static_cast<double>(t.tv_usec) / 1e6;
  };
  return seconds(usage.ru_utime) + seconds(usage.ru_stime);
}

[[noreturn]] void simulate(const std::filesystem::path& folder) {
  rig::Tree tree(folder);
  rig::Machine machine(rig::kLargeMachine);
  for (;;) {
    machine.advance(0.5, {.processor = 0.4, .busiest_core = 0.8, .graphics = 0.9, .reads = 10});
    rig::write_tree(machine, tree);
    std::this_thread::sleep_for(500ms);
  }
}

}  // namespace

int main(int argc, char** argv) {
  const double seconds = argc > 1 ? std::atof(argv[1]) : 60;
  const auto folder = std::filesystem::temp_directory_path() / ("idlemeter-minute-" + std::to_string(getpid()));
  const pid_t child = fork();
  if (child == 0) simulate(folder);
  std::this_thread::sleep_for(1s);
  {
    const Sampler sampler(machine_sources(
        {.root = folder, .game = std::make_shared<GamePid>(rig::kGameProcess), .graphics_library = ""}));
    (void)sampler.wait(1, 5s);
    const double before = processor_seconds();
    const auto start = std::chrono::steady_clock::now();
    std::this_thread::sleep_for(std::chrono::duration<double>(seconds));
    const double passed = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    std::printf("%zu readings every 500 ms: %.3f %% of one core over %.1f s\n", sampler.snapshot().entries().size(),
                100 * (processor_seconds() - before) / passed, passed);
  }
  kill(child, SIGKILL);
  waitpid(child, nullptr, 0);
  std::filesystem::remove_all(folder);
  return 0;
}
