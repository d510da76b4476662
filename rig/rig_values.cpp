#include "rig_values.hpp"

#include "idlemeter/base/scratch_folder.hpp"
#include "idlemeter/base/user_folder.hpp"
#include "idlemeter/settings/live_values.hpp"
#include "idlemeter/settings/settings.hpp"
#include "simulation.hpp"

namespace idlemeter::rig {
namespace {

/// The simulated game, half a minute into its race.
struct SimulatedRace {
  SimulatedRace(const std::string& kind, const Settings& settings)
      : session(folder.path(), {}, spec_of(kind), installed_file("libidlemeter-rig-management.so"), settings.computed) {
    session.play(30);
  }

  ScratchFolder folder;
  Simulation session;
};

}  // namespace

struct Values::State {
  std::function<void(double)> rest;
  std::string root;
  std::unique_ptr<SimulatedRace> simulation;  // else live
  std::unique_ptr<LiveValues> live;
};

Values::Values(const ValueOptions& options, const std::vector<std::string>& ids, std::function<void(double)> rest)
    : state_(std::make_unique<State>()) {
  state_->rest = std::move(rest);
  const Settings settings = options.plain ? Settings{} : usual_settings(options.settings);
  state_->root = options.root;
  if (options.rig.empty()) {
    state_->live = std::make_unique<LiveValues>(
        settings, LiveValuesOptions{.root = options.root, .game = options.game, .readings = ids});
    return;
  }
  const ScratchFolder::Writing writing;
  state_->simulation = std::make_unique<SimulatedRace>(options.rig, settings);
  state_->root = state_->simulation->session.folder().string();
  ask(ids);
}

Values::Values(Values&&) noexcept = default;
Values::~Values() = default;

void Values::ask(const std::vector<std::string>& ids) {
  if (state_->live != nullptr) return state_->live->ask(ids);
  state_->simulation->session.ask(ids);
}

Snapshot Values::next(double seconds) {
  if (state_->simulation != nullptr) {
    const ScratchFolder::Writing writing;
    if (seconds > 0) state_->simulation->session.play(seconds);
    return state_->simulation->session.values();
  }
  if (seconds > 0) state_->rest(seconds);
  return state_->live->update();
}

std::string Values::root() const { return state_->root; }

FrameHistogram Values::frame_times() const {
  return state_->simulation != nullptr ? state_->simulation->session.frame_times() : FrameHistogram{};
}

const History& Values::history() const {
  return state_->simulation != nullptr ? state_->simulation->session.history() : state_->live->history();
}

}  // namespace idlemeter::rig
