#include "simulation.hpp"

#include <fmt/format.h>
#include <stdlib.h>

#include <memory>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/computed_readings.hpp"
#include "idlemeter/readings/live_readings.hpp"
#include "idlemeter/readings/source.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/sources/game_pid.hpp"
#include "idlemeter/sources/machine.hpp"

namespace idlemeter::rig {
namespace {

constexpr Nanoseconds kPace = kSecond / 2;

}  // namespace

/// The machine's files must exist before sources look for them.
Sources Simulation::sources(const std::filesystem::path& library) {
  write_tree(machine_, tree_);
  const bool managed = machine_.spec().proprietary;
  if (managed) ::setenv("IDLEMETER_RIG_MANAGED_CARD", (tree_.folder() / kManagedCard).c_str(), 1);
  return machine_sources({.root = tree_.folder(),
                          .game = std::make_shared<GamePid>(kGameProcess),
                          .graphics_library = managed ? library.string() : ""});
}

Simulation::Simulation(const std::filesystem::path& folder, const GameSettings& settings, const Spec& spec,
                       const std::filesystem::path& library, std::vector<ComputedReading> computed)
    : settings_(settings),
      machine_(spec, settings.seed),
      tree_(folder),
      game_(machine_, settings),
      polling_(sources(library)),
      live_(std::move(computed)) {
  live_.set_game({.name = "Tidepool Rally", .api = "OpenGL 4.6", .picture = "2560x1440"});
}

void Simulation::sample() {
  last_sample_ = game_.now();
  write_tree(machine_, tree_);
  machine_values_ = polling_.sample(game_.now());
  live_.update(machine_values_, game_.now());
}

void Simulation::ask(const std::vector<std::string>& ids) {
  live_.ask(ids);
  live_.update(machine_values_, game_.now(), LiveReadings::Past::skip);
}

void Simulation::play(double seconds, Recorder* recorder) {
  relay_.to = recorder;
  if (recorder != nullptr) live_.begin_recording(&relay_, game_.now());
  const auto end = game_.now() + from_seconds(seconds);
  while (game_.now() < end) {
    const FrameRecord frame = game_.next_frame();
    live_.add({&frame, 1});
    frame_times_.add(frame.interval);
    live_.add(game_.latency());
    if (game_.now() < next_sample_) continue;
    next_sample_ += kPace;
    sample();
  }
  const bool is_worth_a_rate = game_.now() - last_sample_ > kPace / 2;
  if (is_worth_a_rate) sample();
  relay_.to = nullptr;
  live_.update(machine_values_, game_.now(), LiveReadings::Past::skip);
}

RunDetails Simulation::details() const {
  RunDetails details;
  details.game = "Tidepool Rally";
  const Spec& spec = machine_.spec();
  details.facts = {{"Machine", std::string(spec.name)},
                   {"Processor", std::string(spec.processor)},
                   {"Picture", "2560x1440"},
                   {"Graphics API", "OpenGL 4.6"},
                   {"Executable", "/games/tidepool-rally/tidepool_rally"},
                   {"Kernel", "6.12.9-rig"},
                   {"Display", "2560x1440 at 165.00 Hz"},
                   {"Governor", "performance"},
                   {"Power profile", "balanced"}};
  if (!spec.graphics.empty()) details.facts["GPU"] = spec.graphics;
  details.settings = {{"Preset", settings_.preset}};
  if (settings_.upscaler) details.settings["Upscaler"] = "Quality";
  if (settings_.rate_limit > 0) details.settings["Rate limit"] = fmt::format("{} FPS", settings_.rate_limit);
  return details;
}

}  // namespace idlemeter::rig
