#include "meter/session/live_session.hpp"

#include <algorithm>
#include <utility>

#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/meter/meter.hpp"
#include "idlemeter/readings/live_readings.hpp"
#include "meter/entrance/process.hpp"

namespace idlemeter::meter {
namespace {

namespace fs = std::filesystem;

constexpr Nanoseconds kTextEvery = 100 * kMillisecond;

}  // namespace

LiveSession::LiveSession(MeterOptions options, Surroundings surroundings)
    : options_(std::move(options)), surroundings_(std::move(surroundings)), began_(now()), visible_(options_.visible) {}

void LiveSession::log(const std::string& line) const {
  if (options_.log) options_.log(line);
}

void LiveSession::cue(Cue::Kind kind, std::string text, std::string about) const {
  if (surroundings_.cue) surroundings_.cue({kind, std::move(text), std::move(about)});
}

Game* LiveSession::add_game(std::unique_ptr<Attachment> attachment) {
  if (games_.size() >= limits::kGames) return nullptr;
  WatchedFace face = face_for(attachment->pid());
  return &games_.emplace_back(std::move(attachment), std::move(face), options_.settings.computed, options_.game_name);
}

void LiveSession::remove_game(Game& game) {
  drain(game);
  // It may have ended before its recording could start: its frames are recorded all the same.
  if (is_due(now()) && !recording_ && game.early_since()) start_recording(game, now());
  const bool was_ended = game.attachment().is_closed() || (options_.is_ending && options_.is_ending());
  if (is_recorded(game)) stop_recording(was_ended ? RunEnd::game_ended : RunEnd::game_crashed);
  if (game.has_picture()) finished_.push_back(report(game, true));
  watchers_.remove(game);
  games_.remove_if([&](const Game& one) { return &one == &game; });
}

/// A face that can't be read doesn't keep a game from being measured: it gets the default one, and the log says why.
WatchedFace LiveSession::face_for(int pid) const {
  try {
    const ProgramOfProcess program = program_of(pid);
    const std::string name = options_.face_of(program.file.empty() ? fs::path(program.name) : program.file);
    return WatchedFace(options_.file_of(name), name);
  } catch (const std::exception& error) {
    log(error.what());
    return WatchedFace(options_.file_of("benchmark"), "benchmark");
  }
}

GameReport LiveSession::report(const Game& game, bool over) {
  return {
      game.pid(),   game.name(), game.attachment().api(), game.picture(), game.presents(), game.attachment().blind(),
      game.whole(), over};
}

std::vector<GameReport> LiveSession::reports() {
  std::vector<GameReport> all = finished_;
  for (Game& game : games_) {
    drain(game);
    if (game.has_picture()) all.push_back(report(game, false));
  }
  return all;
}

/// The one that has presented most.
Game* LiveSession::main_game() {
  Game* found = nullptr;
  for (Game& game : games_) {
    if (game.has_picture() && (found == nullptr || game.presents() > found->presents())) found = &game;
  }
  return found;
}

/// Takes the frames that have come, for the recording too.
void LiveSession::drain(Game& game) {
  watchers_.add(game, game.drain(now()));
  if (is_recorded(game)) recording_->note_lost();
  settle_plan(game);
  if (planned_ && planned_->at && !recording_) game.keep_for_recording(*planned_->at);
}

void LiveSession::tick() {
  const Moment now = this->now();
  for (Game& game : games_) {
    drain(game);
    game.attachment().beat(now);
    game.attachment().show(visible_);
  }
  const Game* const main = main_game();
  const int pid = main == nullptr ? game_pid_ : main->pid();
  if (pid != std::exchange(game_pid_, pid)) surroundings_.game_is(pid);
  record(now);
  redraw(now);
  answer_waiting(now);
  watchers_.send(
      now, games_, [this] { return state(); }, surroundings_.machine);
}

/// Texts and what is hidden at their pace, traces at each tick.
void LiveSession::redraw(Moment now) {
  using Past = LiveReadings::Past;
  const bool text = now >= text_due_;
  if (text) text_due_ = now + kTextEvery - kTick * kMillisecond / 2;
  const bool drawing = visible_ && pace_.is_due(now);
  std::optional<Snapshot> machine;  // the same for all games
  for (Game& game : games_) {
    if (text) game.look_at_face();
    if (!game.has_picture() || !(text || (visible_ && game.has_traces()))) continue;
    if (!machine) machine = surroundings_.machine();
    game.update(*machine, now, text ? Past::keep : Past::skip);
    if (!drawing) continue;
    game.redraw(painter_);
    // The next one's overlay may take its time too.
    for (Game& other : games_) other.attachment().beat(this->now());
  }
  if (drawing) pace_.drew(now, this->now());
}

}  // namespace idlemeter::meter
