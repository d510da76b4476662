#include "values.hpp"

#include <fmt/format.h>

#include <cstdio>

#include "idlemeter/base/duration.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/file.hpp"
#include "idlemeter/base/scratch_folder.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/live_readings.hpp"
#include "idlemeter/readings/polling.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/sampler.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/settings/settings.hpp"
#include "idlemeter/settings/user_sources.hpp"
#include "idlemeter/sources/command_source.hpp"
#include "idlemeter/sources/game_pid.hpp"
#include "idlemeter/sources/machine.hpp"
#include "output.hpp"
#include "simulation.hpp"
#include "terminal.hpp"

namespace idlemeter::cli {
namespace {

namespace fs = std::filesystem;
using namespace std::chrono_literals;

/// The management library's stand-in: beside the program where it was built, or in the lib folder if it was
/// installed.
fs::path management_stand_in() {
  const fs::path program = fs::read_symlink("/proc/self/exe").parent_path();
  constexpr const char* kFile = "lib/idlemeter/libidlemeter-rig-management.so";
  return fs::exists(program / kFile) ? program / kFile : program.parent_path() / kFile;
}

/// The simulated game, half a minute into its race.
struct SimulatedRace {
  SimulatedRace(const std::string& kind, const Settings& settings)
      : session(folder.path(), {}, rig::spec_of(kind), management_stand_in(), settings.computed) {
    session.play(30);
  }

  ScratchFolder folder;
  rig::Simulation session;
};

}  // namespace

Settings chosen_settings(const std::string& file) {
  if (!file.empty()) return load_settings(file);
  const fs::path usual = usual_settings_path();
  return fs::exists(usual) ? load_settings(usual) : Settings{};
}

std::string usual_store() {
  static const std::string store = [] {
    try {
      const fs::path chosen = chosen_settings("").store;
      if (!chosen.empty()) return chosen.string();
    } catch (const Error& error) {
      complain("{}\nidlemeter: warning: the settings aren't used: runs are looked for in {}\n", error.what(),
               Store::usual_path().string());
    }
    return Store::usual_path().string();
  }();
  return store;
}

Snapshot readings_here(const std::vector<std::string>& ids) {
  const Settings settings = chosen_settings("");
  LiveReadings live(settings.computed);
  live.ask(ids);
  std::vector<ReadingInfo> later;  // from commands and the feed
  for (const CommandReading& command : settings.commands) later.push_back(command.info);
  for (const std::string& id : ids) {
    if (settings.feed && id.starts_with("feed.")) later.push_back({.id = id});
  }
  Batch batch{std::make_shared<const ReadingList>(later), std::vector<Value>(later.size(), Missing{"not sampled"}), {}};
  Polling machine(machine_sources({.facts = settings.facts}));
  return live.update(machine.sample(monotonic_now()).with(std::make_shared<const Batch>(std::move(batch))),
                     monotonic_now());
}

struct Values::State {
  State(const Settings& settings, std::string tree) : root(std::move(tree)), live(settings.computed) {}

  std::string root;
  std::unique_ptr<SimulatedRace> simulation;
  std::unique_ptr<Sampler> sampler;
  LiveReadings live;  // without a simulation
};

Values::Values(const ValueOptions& options, const std::vector<std::string>& ids) {
  const Settings settings = chosen_settings(options.settings);
  state_ = std::make_unique<State>(settings, options.root);
  if (!options.rig.empty()) {
    const ScratchFolder::Writing writing;
    state_->simulation = std::make_unique<SimulatedRace>(options.rig, settings);
    state_->root = state_->simulation->session.folder().string();
    ask(ids);
    return;
  }
  const bool here = options.root == "/";
  const MachineOptions machine{.root = options.root,
                               .game = std::make_shared<GamePid>(options.game),
                               .graphics_library = here ? MachineOptions{}.graphics_library : ""};
  const fs::path comm = fs::path(options.root) / "proc" / std::to_string(options.game) / "comm";
  std::string name = options.game > 0 ? read_regular_file(comm, 4096).bytes : "";
  state_->live.set_game({.name = name.substr(0, name.find('\n'))});
  ask(ids);
  state_->sampler = std::make_unique<Sampler>(sources_with(settings, machine),
                                              SamplerOptions{.pace = settings.pace, .paces = settings.paces});
  // A share or a rate needs two samples; sources with a slower pace of their own are not waited for any longer.
  state_->sampler->wait(2, std::max<Nanoseconds>(1s, settings.pace + 500ms));
}

Values::Values(Values&&) noexcept = default;
Values::~Values() = default;

void Values::ask(const std::vector<std::string>& ids) {
  state_->live.ask(ids);
  if (state_->simulation != nullptr) state_->simulation->session.ask(ids);
}

Snapshot Values::next(double seconds) {
  if (state_->simulation != nullptr) {
    const ScratchFolder::Writing writing;
    if (seconds > 0) state_->simulation->session.play(seconds);
    return state_->simulation->session.values();
  }
  if (seconds > 0) rest(std::chrono::duration<double>(seconds));
  return state_->live.update(state_->sampler->snapshot(), monotonic_now());
}

std::string Values::root() const { return state_->root; }

FrameHistogram Values::frame_times() const {
  return state_->simulation != nullptr ? state_->simulation->session.frame_times() : FrameHistogram{};
}

const History& Values::history() const {
  return state_->simulation != nullptr ? state_->simulation->session.history() : state_->live.history();
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
  command.option("--settings", options.settings, "A settings file instead of " + usual_settings_path().string());
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
