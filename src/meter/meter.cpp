#include "idlemeter/meter/meter.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <cstdlib>
#include <utility>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/meter/command.hpp"
#include "idlemeter/readings/sampler.hpp"
#include "idlemeter/readings/source.hpp"
#include "idlemeter/settings/settings.hpp"
#include "idlemeter/settings/user_sources.hpp"
#include "idlemeter/sources/game_pid.hpp"
#include "idlemeter/sources/machine.hpp"
#include "meter/control/control.hpp"
#include "meter/cues/cues.hpp"
#include "meter/display/above.hpp"
#include "meter/display/buttons.hpp"
#include "meter/display/keys.hpp"
#include "meter/display/portal_keys.hpp"
#include "meter/entrance/links.hpp"
#include "meter/loop.hpp"
#include "meter/session/live_session.hpp"

namespace idlemeter {
namespace {

namespace fs = std::filesystem;
using meter::Game;
using What = MeterCommand::What;

/// The machine's sources, without the feed if it can't listen: another meter may do so already.
Sources sources_for(const MeterOptions& options, const MachineOptions& machine) {
  try {
    return sources_with(options.settings, machine);
  } catch (const Error& error) {
    if (options.log) options.log(error.what());
    Settings without_feed = options.settings;
    without_feed.feed.reset();
    return sources_with(without_feed, machine);
  }
}

/// A client of the control socket that is sent updates.
class Watcher final : public meter::UpdateSink {
 public:
  explicit Watcher(meter::Control::Client client) : client_(client) {}
  Reader reader() override { return client_.reader(); }
  void send(const MeterUpdate& update) override { client_.stream(to_json(update)); }

 private:
  meter::Control::Client client_;
};

}  // namespace

/// What a live session needs around it: the event loop, the machine, the socket, the keys, and the way games come in.
struct Meter::State {
  explicit State(MeterOptions o)
      : options(std::move(o)),
        sampler(sources_for(options, {.game = game_pid}),
                {.pace = options.settings.pace, .paces = options.settings.paces}),
        cues(options.settings.cues),
        session(options, {.clock = &monotonic_now,
                          .machine = [this] { return sampler.snapshot(); },
                          .is_machine_known = [this] { return sampler.wait(1, Nanoseconds{}); },
                          .game_is = [this](int pid) { game_pid->set(pid); },
                          .let_games_go = [this] { entrance->close(); },
                          .cue = [this](const meter::Cue& cue) { cues.give(cue); }}),
        control(loop, options.folder / fmt::format("{}.control", ::getpid()),
                [this](std::string_view line, meter::Control::Client client) { obey(line, client); }) {}

  /// What goes wrong in the loop is reported at most once a second.
  void complain(const char* mistake) {
    if (monotonic_now() - complained_at < kSecond) return;
    complained_at = monotonic_now();
    log(mistake);
  }

  void log(const std::string& line) const {
    if (options.log) options.log(line);
  }

  void obey(std::string_view line, meter::Control::Client client) {
    try {
      const MeterCommand command = command_from_json(line);
      if (command.what == What::watch) return session.watch(command.watch, std::make_unique<Watcher>(client));
      session.obey(command, [client](const MeterAnswer& done) { client.answer(to_json(done)); });
    } catch (const Error& error) {
      client.answer(to_json(MeterAnswer{.error = error.what(), .code = error.code()}));
    }
  }

  void act(ButtonAction action) {
    constexpr What kDoes[] = {What::toggle, What::clear, What::record, What::face, What::mark};
    session.obey({.what = kDoes[static_cast<std::size_t>(action)]}, [](const MeterAnswer&) {});
  }

  [[nodiscard]] std::map<std::string, meter::Shortcut> shortcuts() {
    const auto doing = [this](ButtonAction action) { return [this, action] { act(action); }; };
    const KeyChoices& chosen = options.settings.keys;
    std::map<std::string, meter::Shortcut> all = {
        {"show", {"Show or hide the overlay", chosen.show, doing(ButtonAction::show)}},
        {"clear", {"Restart the live statistics", chosen.clear, doing(ButtonAction::clear)}},
        {"record", {"Start or stop a recording", chosen.record, doing(ButtonAction::record)}},
        {"face", {"The next face", chosen.face, doing(ButtonAction::face)}},
        {"mark", {"Set a mark in the recording", chosen.mark, doing(ButtonAction::mark)}}};
    std::erase_if(all, [](const auto& one) { return one.second.chord.empty(); });
    return all;
  }

  /// On Wayland only the desktop hears keys, whatever window has the keyboard; without its help, as far as X11 does.
  void listen_to_keys() {
    if (std::getenv("WAYLAND_DISPLAY") == nullptr) return listen_to_x11();
    portal_keys = std::make_unique<meter::PortalKeys>(shortcuts());
    loop.watch(portal_keys->descriptor(), [this] {
      const std::string problem = portal_keys->hear();
      if (problem.empty()) return;
      loop.unwatch(portal_keys->descriptor());
      portal_keys.reset();
      log(fmt::format("the desktop passes no keys on: {}; bind commands to keys in its own settings", problem));
      listen_to_x11();
    });
  }

  /// A display that is missing, or disconnects, is noted in the log; commands do the same as keys.
  void listen_to_x11() {
    std::map<std::string, std::function<void()>> bindings;
    for (auto& [name, shortcut] : shortcuts()) bindings.emplace(shortcut.chord, std::move(shortcut.act));
    try {
      keys = std::make_unique<meter::Keys>(bindings);
    } catch (const Error& error) {
      return log(error.what());
    }
    loop.watch(keys->descriptor(), [this] {
      if (keys->hear()) return;
      loop.unwatch(keys->descriptor());
      keys.reset();
      log("the display is gone: keys are no longer heard");
    });
  }

  const MeterOptions options;
  Moment complained_at{-kSecond};
  bool plan_is_over = false;
  meter::Loop loop{[this](const char* mistake) { complain(mistake); }};
  std::shared_ptr<GamePid> game_pid = std::make_shared<GamePid>();
  Sampler sampler;
  meter::Cues cues;
  meter::LiveSession session;
  meter::Control control;
  std::unique_ptr<meter::Keys> keys;
  meter::Buttons buttons{loop, options.settings.buttons, [this](ButtonAction action) { act(action); },
                         [this](const std::string& line) { log(line); }};
  std::unique_ptr<meter::PortalKeys> portal_keys;
  std::unique_ptr<meter::Entrance> entrance;
};

Meter::Meter(MeterOptions options) : state_(std::make_unique<State>(std::move(options))) {
  State& s = *state_;
  if (s.options.above) {
    s.entrance = meter::windows_above(s.loop, s.options.above, s.session);
  } else {
    s.entrance = std::make_unique<meter::Links>(s.loop, link_socket(), s.session);
  }
  s.listen_to_keys();
  s.loop.every(meter::kTick, [&s] {
    s.entrance->look();
    s.buttons.look();
    s.session.tick();
    for (const std::string& problem : s.cues.problems()) s.log(problem);
    const bool was_over = std::exchange(s.plan_is_over, s.session.is_done_with_plan());
    if (s.plan_is_over && !was_over && s.options.plan_is_over) s.options.plan_is_over();
  });
}

Meter::~Meter() {
  end_recordings();
  state_->entrance.reset();  // it holds games of the session, and the session holds its attachments
  if (state_->keys != nullptr) state_->loop.unwatch(state_->keys->descriptor());
  if (state_->portal_keys != nullptr) state_->loop.unwatch(state_->portal_keys->descriptor());
}

fs::path Meter::link_socket() const {
  const MeterOptions& options = state_->options;
  return options.folder / (options.socket.empty() ? fmt::format("{}.link", ::getpid()) : options.socket);
}

void Meter::watch(int fd, std::function<void()> ready) { state_->loop.watch(fd, std::move(ready)); }
void Meter::unwatch(int fd) { state_->loop.unwatch(fd); }
void Meter::run() { state_->loop.run(); }
void Meter::stop() { state_->loop.stop(); }

bool Meter::has_games() const {
  const auto& games = state_->session.games();
  return std::any_of(games.begin(), games.end(),
                     [](const Game& game) { return game.has_picture() || game.presents() > 0; });
}

void Meter::end_recordings() { state_->session.end_recordings(std::chrono::seconds(5)); }
std::vector<RecordedRun> Meter::recorded() const { return state_->session.recorded(); }

std::vector<std::string> Meter::recording_problems() const { return state_->session.recording_problems(); }
bool Meter::has_plan() const { return state_->session.has_plan(); }
void Meter::record(const RecordingPlan& plan) { state_->session.plan(plan); }
std::string Meter::unseen_games() const { return state_->entrance->unseen(); }
std::vector<GameReport> Meter::reports() { return state_->session.reports(); }

}  // namespace idlemeter
