// idlemeter desk: a page in the browser.
#include "idlemeter/desk/desk.hpp"

#include <filesystem>
#include <memory>

#include "commands.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/base/user_folder.hpp"
#include "idlemeter/settings/settings.hpp"
#include "output.hpp"
#include "picture.hpp"
#include "terminal.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

struct DeskArgs {
  ValueOptions values;
  std::string store;
  int port = 0;
  Nanoseconds unused{};
  bool no_browser = false;
};

/// This machine's values or the simulated machine's, whose time passes as this machine's does.
class Shown final : public DeskValues {
 public:
  explicit Shown(const ValueOptions& options) : values_(options), is_virtual_(!options.rig.empty()) {}

  Snapshot update() override {
    const Moment now = monotonic_now();
    return values_.next(is_virtual_ ? in_seconds(now - std::exchange(last_, now)) : 0);
  }
  void ask(const std::vector<std::string>& readings) override { values_.ask(readings); }
  [[nodiscard]] const History& history() const override { return values_.history(); }

 private:
  Values values_;
  bool is_virtual_;
  Moment last_ = monotonic_now();
};

/// The game to try, played for ten minutes at most by this program; empty if it isn't installed.
std::vector<std::string> demo_game(const std::string& settings) {
  const std::string game = installed_file("tidepool_rally");
  if (game.empty()) return {};
  std::vector<std::string> words = {std::filesystem::read_symlink("/proc/self/exe"), "play", "--quiet", "--game",
                                    "Tidepool Rally"};
  if (!settings.empty()) words.insert(words.end(), {"--settings", settings});
  words.insert(words.end(), {"--", game, "--size", "960x540", "--rate", "90", "--seconds", "600"});
  return words;
}

void show(const DeskArgs& options, const std::string& address) {
  print("{}\n", address);
  flush_output();
  if (!options.no_browser && !open_browser(address))
    complain("idlemeter: warning: no browser could be opened; open the address yourself\n");
}

int run_desk(const DeskArgs& options) {
  if (const std::string first = running_desk(options.store); !first.empty()) return show(options, first), 0;
  Desk desk({.port = options.port,
             .settings = options.values.settings.empty() ? usual_settings_path().string() : options.values.settings,
             .store = options.store,
             .values = std::make_unique<Shown>(options.values),
             .grounds = rig::ground_names(),
             .draw_ground = [](const std::string& name, int width,
                               int height) { return rig::game_picture(width, height, *rig::ground_from(name)); },
             .demo_game = demo_game(options.values.settings)});
  DeskBell bell(desk);
  catch_termination();
  show(options, desk.address());
  const auto is_unused = [&] {
    return options.unused > Nanoseconds{} && monotonic_now() - desk.last_used() > options.unused;
  };
  while (!stopped() && !is_unused()) bell.serve(kSecond / 5);
  return 0;
}

}  // namespace

void add_desk(Command app) {
  const auto options = std::make_shared<DeskArgs>();
  Command command =
      app.add("desk", "Open the desk: design the overlay and control recordings by pointing, in your browser",
              [options] { return run_desk(*options); });
  command.flag("--no-browser", options->no_browser, "Only print the address, which works once");
  command.option("--port", options->port, "The port on 127.0.0.1; 0: any free one").shows_default();
  command.option(
      "--for", [options](const std::string& text) { return read_every(text, options->unused); },
      "End when no page has asked anything for that long, like 10m; by default at Ctrl-C");
  command.option("--store", options->store, "The store with the runs, instead of the one that the settings name");
  add_value_options(command, options->values);
}

}  // namespace idlemeter::cli
