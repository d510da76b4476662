#include "values.hpp"

#include <fmt/format.h>

#include <cstdio>

#include "idlemeter/base/duration.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/scratch_folder.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/base/user_folder.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/settings/live_values.hpp"
#include "idlemeter/settings/settings.hpp"
#include "output.hpp"
#include "simulation.hpp"
#include "terminal.hpp"

namespace idlemeter::cli {
namespace {

namespace fs = std::filesystem;
using namespace std::chrono_literals;

/// The simulated game, half a minute into its race.
struct SimulatedRace {
  SimulatedRace(const std::string& kind, const Settings& settings)
      : session(folder.path(), {}, rig::spec_of(kind), installed_file("libidlemeter-rig-management.so"),
                settings.computed) {
    session.play(30);
  }

  ScratchFolder folder;
  rig::Simulation session;
};

}  // namespace

std::string usual_store() {
  static const std::string store = [] {
    try {
      const fs::path chosen = usual_settings().store;
      if (!chosen.empty()) return chosen.string();
    } catch (const Error& error) {
      complain("{}\nidlemeter: warning: the settings aren't used: runs are looked for in {}\n", error.what(),
               Store::usual_path().string());
    }
    return Store::usual_path().string();
  }();
  return store;
}

struct Values::State {
  std::string root;
  std::unique_ptr<SimulatedRace> simulation;  // else live
  std::unique_ptr<LiveValues> live;
};

Values::Values(const ValueOptions& options, const std::vector<std::string>& ids) : state_(std::make_unique<State>()) {
  const Settings settings = usual_settings(options.settings);
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
  if (seconds > 0) rest(std::chrono::duration<double>(seconds));
  return state_->live->update();
}

std::string Values::root() const { return state_->root; }

FrameHistogram Values::frame_times() const {
  return state_->simulation != nullptr ? state_->simulation->session.frame_times() : FrameHistogram{};
}

const History& Values::history() const {
  return state_->simulation != nullptr ? state_->simulation->session.history() : state_->live->history();
}

void add_value_options(Command command, ValueOptions& options) {
  const Option root =
      command.option("--root", options.root, "A folder with proc/ and sys/ to read instead of this machine's")
          .shows_default()
          .check(existing_folder());
  command
      .option("--rig", options.rig,
              "A simulated machine with its game: desktop (default), laptop, handheld, proprietary, hot, bare")
      .or_just("desktop")
      .check([](const std::string& kind) {
        try {
          (void)rig::spec_of(kind);
          return std::string();
        } catch (const Error& unknown) {
          return std::string(unknown.what());
        }
      })
      .excludes(root);
  command.option("--settings", options.settings, "The settings file, instead of " + usual_settings_path().string());
  command.option("--game", options.game, "The game's process, to show what it uses").check(positive());
}

std::string read_every(const std::string& text, Nanoseconds& every) {
  const auto time = duration_from(text, "s");
  if (!time || *time < 100ms || *time > 1h)
    return fmt::format("'{}' isn't a time from 100 ms to 60 min; write it like 1s or 500ms", text);
  every = *time;
  return "";
}

Check is_size() {
  return [](const std::string& text) {
    int width = 0, height = 0;
    return read_size(text, width, height);
  };
}

std::string read_size(const std::string& text, int& width, int& height) {
  constexpr int kLargestSide = 16384;
  int used = 0;
  const bool two = std::sscanf(text.c_str(), "%dx%d%n", &width, &height, &used) == 2 &&
                   static_cast<std::size_t>(used) == text.size();
  const bool fits = two && width >= 16 && height >= 16 && width <= kLargestSide && height <= kLargestSide;
  return fits ? ""
              : fmt::format("'{}' isn't a picture size; write it like 1920x1080, each side from 16 to {}", text,
                            kLargestSide);
}

}  // namespace idlemeter::cli
