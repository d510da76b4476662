#include "idlemeter/meter.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <utility>

#include "meter/above.hpp"
#include "meter/links.hpp"
#include "meter/session.hpp"
#include "sources/private_socket.hpp"

namespace idlemeter {

namespace fs = std::filesystem;
using meter::Game;

struct Meter::State final : meter::Session {
  using Session::Session;
};

Meter::Meter(MeterOptions options) : state_(std::make_unique<State>(std::move(options))) {
  State& s = *state_;
  s.control = std::make_unique<meter::Control>(
      s.loop, s.options.folder / fmt::format("{}.control", ::getpid()),
      [this](const std::string& line, meter::Control::Answer answer) { state_->obey(line, std::move(answer)); });
  if (s.options.above) {
    s.entrance = std::make_unique<meter::Above>(s.loop, s.options.above, s);
  } else {
    s.entrance = std::make_unique<meter::Links>(s.loop, link_socket(), s);
  }
  s.listen_to_keys();
  s.loop.every(meter::kTick, [this] { state_->tick(); });
}

Meter::~Meter() {
  State& s = *state_;
  end_recordings();
  s.entrance.reset();  // it has its part in games, and they in it
  if (s.keys != nullptr) s.loop.unwatch(s.keys->descriptor());
}

fs::path Meter::link_socket() const {
  const MeterOptions& options = state_->options;
  return options.folder / (options.socket.empty() ? fmt::format("{}.link", ::getpid()) : options.socket);
}
void Meter::watch(int fd, std::function<void()> ready) { state_->loop.watch(fd, std::move(ready)); }
void Meter::run() { state_->loop.run(); }
void Meter::stop() { state_->loop.stop(); }
bool Meter::has_games() const {
  const auto& games = state_->games;
  return std::any_of(games.begin(), games.end(),
                     [](const Game& game) { return game.has_picture() || game.presents() > 0; });
}
void Meter::end_recordings() {
  constexpr auto kLastWait = std::chrono::seconds(5);
  for (Game& game : state_->games) state_->drain(game);
  state_->end_recordings(kLastWait);
}
std::vector<std::string> Meter::recording_problems() const { return state_->problems; }
bool Meter::has_plan() const { return state_->planned.has_value(); }
void Meter::record(double seconds, double after) { state_->plan(seconds, after); }

std::vector<GameReport> Meter::reports() {
  std::vector<GameReport> all = state_->over;
  for (Game& game : state_->games) {
    state_->drain(game);
    if (game.has_picture()) all.push_back(meter::Session::report(game, false));
  }
  return all;
}

fs::path meter_folder() { return sources::runtime_folder(); }

}  // namespace idlemeter
