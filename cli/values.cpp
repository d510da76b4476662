#include "values.hpp"

#include "idlemeter/error.hpp"
#include "idlemeter/frame_readings.hpp"
#include "session.hpp"
#include "temporary_folder.hpp"
#include "terminal.hpp"

namespace idlemeter::cli {
namespace {

namespace fs = std::filesystem;
using namespace std::chrono_literals;

/// The management library's stand-in: beside the program where it was built, or in the lib folder where it was
/// installed.
fs::path management_stand_in() {
  const fs::path program = fs::read_symlink("/proc/self/exe").parent_path();
  constexpr const char* kFile = "lib/idlemeter/libidlemeter-rig-management.so";
  return fs::exists(program / kFile) ? program / kFile : program.parent_path() / kFile;
}

/// The simulated game, half a minute into its race.
struct Simulation {
  Simulation(const std::string& kind, const std::vector<std::string>& ids)
      : session(folder.path(), {}, rig::spec_of(kind), management_stand_in()) {
    session.ask(ids);
    session.play(30);
  }

  TemporaryFolder folder;
  rig::Session session;
};

}  // namespace

Settings chosen_settings(const std::string& file) {
  if (!file.empty()) return load_settings(file);
  const fs::path usual = usual_settings_path();
  return fs::exists(usual) ? load_settings(usual) : Settings{};
}

struct Values::State {
  State(const Settings& settings, std::string tree, const std::vector<std::string>& ids)
      : root(std::move(tree)), no_game(ids), computed(settings.computed) {}

  std::string root;
  std::unique_ptr<Simulation> simulation;
  std::unique_ptr<Sampler> sampler;
  FrameReadings no_game;
  ComputedReadings computed;
  History history;
};

Values::Values(const ValueOptions& options, const std::vector<std::string>& ids) {
  const Settings settings = chosen_settings(options.settings);
  state_ = std::make_unique<State>(settings, options.root, ids);
  if (!options.rig.empty()) {
    state_->simulation = std::make_unique<Simulation>(options.rig, ids);
    state_->root = state_->simulation->session.folder().string();
    return;
  }
  const bool here = options.root == "/";
  const MachineOptions machine{.root = options.root,
                               .game = {.pid = options.game},
                               .graphics_library = here ? MachineOptions{}.graphics_library : ""};
  state_->sampler = std::make_unique<Sampler>(sources_with(settings, machine),
                                              SamplerOptions{.pace = settings.pace, .paces = settings.paces});
  // A share or a rate needs two samples; sources with a slower pace of their own are not waited for any longer.
  state_->sampler->wait(2, std::max<std::chrono::nanoseconds>(1s, settings.pace + 500ms));
}

Values::Values(Values&&) noexcept = default;
Values::~Values() = default;

void Values::ask(const std::vector<std::string>& ids) {
  state_->no_game.ask(ids);
  if (state_->simulation != nullptr) state_->simulation->session.ask(ids);
}

Snapshot Values::next(double seconds) {
  Snapshot values;
  if (state_->simulation != nullptr) {
    if (seconds > 0) state_->simulation->session.play(seconds);
    values = state_->computed.add_to(state_->simulation->session.values());
  } else {
    if (seconds > 0) rest(std::chrono::duration<double>(seconds));
    values = state_->computed.add_to(state_->sampler->snapshot().with(state_->no_game.batch(monotonic_now())));
  }
  state_->history.add(values);
  return values;
}

std::string Values::root() const { return state_->root; }

const History& Values::history() const {
  return state_->simulation != nullptr ? state_->simulation->session.history() : state_->history;
}

void add_value_options(CLI::App& command, ValueOptions& options) {
  CLI::Option* root = command.add_option("--root", options.root, "The folder that holds proc/ and sys/")
                          ->capture_default_str()
                          ->check(CLI::ExistingDirectory);
  command
      .add_option("--rig", options.rig,
                  "A simulated machine with its game: desktop (usual), laptop, handheld, proprietary, bare")
      ->expected(0, 1)
      ->default_str("desktop")
      ->check([](const std::string& kind) {
        try {
          (void)rig::spec_of(kind);
          return std::string();
        } catch (const Error& unknown) {
          return std::string(unknown.what());
        }
      })
      ->excludes(root);
  command.add_option("--settings", options.settings, "A settings file in place of " + usual_settings_path().string());
  command.add_option("--game", options.game, "The game's process, for what it uses itself")->check(CLI::PositiveNumber);
}

}  // namespace idlemeter::cli
