#include "meter/session.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <utility>

#include "idlemeter/error.hpp"
#include "idlemeter/limits.hpp"
#include "link/handover.hpp"
#include "meter/process.hpp"

namespace idlemeter::meter {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;

constexpr Nanoseconds kTextEvery = 100 * kMillisecond;

}  // namespace

Session::Session(MeterOptions o) : options(std::move(o)), visible(options.visible) {}

void Session::log(const std::string& line) const {
  if (options.log) options.log(line);
}

void Session::complain(const char* mistake) {
  if (link::now() - complained_at < kSecond) return;
  complained_at = link::now();
  log(mistake);
}

void Session::listen_to_keys() {
  const auto doing = [this](const char* command) { return [this, command] { (void)act(json::parse(command)); }; };
  const KeyChoices& chosen = options.settings.keys;
  std::map<std::string, std::function<void()>> bindings = {{chosen.show, doing(R"({"do": "toggle"})")},
                                                           {chosen.clear, doing(R"({"do": "clear"})")},
                                                           {chosen.record, doing(R"({"do": "record"})")},
                                                           {chosen.face, doing(R"({"do": "face"})")},
                                                           {chosen.mark, doing(R"({"do": "mark"})")}};
  bindings.erase("");
  try {
    keys = std::make_unique<Keys>(bindings);
  } catch (const Error& error) {
    return log(error.what());
  }
  loop.watch(keys->descriptor(), [this] {
    if (keys->hear()) return;
    loop.unwatch(keys->descriptor());
    keys.reset();
    log("the display for keys is gone");
  });
}

Game* Session::come(std::unique_ptr<Attachment> attachment) {
  if (games.size() >= limits::kGames) return nullptr;
  WatchedFace face = face_for(attachment->pid());
  return &games.emplace_back(std::move(attachment), std::move(face), options.settings.computed);
}

void Session::leave(Game& game) {
  drain(game);
  // A game that was over before its recording could begin: it has its frames all the same.
  if (planned && link::now() >= planned->at && !recording && game.early_since()) start_recording(game, link::now());
  if (is_recorded(game)) stop_recording();
  if (game.has_picture()) over.push_back(report(game, true));
  games.remove_if([&](const Game& one) { return &one == &game; });
}

WatchedFace Session::face_for(int pid) const {
  try {
    const std::string name = options.face_of(executable_of(pid));
    return WatchedFace(options.file_of(name), name);
  } catch (const std::exception& error) {
    log(error.what());
    return WatchedFace(options.file_of("benchmark"), "benchmark");
  }
}

GameReport Session::report(const Game& game, bool over) {
  return {game.pid(),
          game.name(),
          game.attachment().api(),
          game.picture(),
          game.presents(),
          game.attachment().blind(),
          game.whole().summary(),
          over};
}

Game* Session::main_game() {
  Game* found = nullptr;
  for (Game& game : games) {
    if (game.has_picture() && (found == nullptr || game.presents() > found->presents())) found = &game;
  }
  return found;
}

void Session::drain(Game& game) {
  const std::vector<FrameRecord>& frames = game.drain(link::now());
  if (is_recorded(game)) {
    recording->add(frames);
  } else if (planned && !recording) {
    game.keep_early(planned->at);
  }
}

void Session::sample_for(const Game& game) {
  const GameFacts facts{game.pid(), game.name(), game.attachment().api(), game.picture()};
  const std::string key = fmt::format("{} {} {}", facts.pid, facts.api, facts.picture);
  const Nanoseconds now = link::now();
  if (key == sampled || (sampler != nullptr && now - sampled_at < 2 * kSecond)) return;
  sampled = key;
  sampled_at = now;
  sampler.reset();
  sampler = std::make_unique<Sampler>(sources_for(facts),
                                      SamplerOptions{.pace = options.settings.pace, .paces = options.settings.paces});
}

Sources Session::sources_for(const GameFacts& facts) {
  try {
    return sources_with(options.settings, {.game = facts});
  } catch (const Error& error) {
    log(error.what());
    options.settings.feed.reset();
    return sources_with(options.settings, {.game = facts});
  }
}

Snapshot Session::machine_values(Nanoseconds now) const {
  const Snapshot machine = sampler == nullptr ? Snapshot(now, {}) : sampler->snapshot();
  return recording ? machine.with(marks_batch(now)) : machine;
}

std::shared_ptr<const Batch> Session::marks_batch(Nanoseconds now) const {
  static const auto list = std::make_shared<const ReadingList>(
      std::vector<ReadingInfo>{{"recording.marks", "Marks set in the recording", "Marks", "Game", DeviceKind::frames,
                                Unit::none, "the user", 0}});
  return std::make_shared<const Batch>(Batch{list, {static_cast<double>(recording->marks())}, now});
}

bool Session::is_recorded(const Game& game) const { return recording && &recording->game() == &game; }

bool Session::may_start(Nanoseconds now) const {
  constexpr Nanoseconds kPatience = kSecond / 4;  // for the machine's names, in a game's first moment
  if (!planned || now < planned->at || recording || sampler == nullptr) return false;
  return now - sampled_at > kPatience || sampler->wait(1, std::chrono::nanoseconds::zero());
}

void Session::start_recording(Game& game, Nanoseconds now) {
  const Planned plan = *std::exchange(planned, std::nullopt);
  const Nanoseconds since = std::clamp(game.early_since().value_or(now), std::min(plan.at, now), now);
  recording = std::make_shared<Recording>(options.store, game, machine_values(now), plan.seconds, since);
  recording->add(game.begin_recording(since));
  notice.clear();
  log(fmt::format("recording '{}' into {}", game.name(), options.store.string()));
}

std::shared_ptr<Recording> Session::stop_recording() {
  const std::shared_ptr<Recording> stopped = std::exchange(recording, nullptr);
  stopped->game().end_recording(link::now());
  stopped->finish();
  ending.push_back(stopped);
  return stopped;
}

void Session::look_after_recordings() {
  if (recording && recording->is_done()) {
    Game& game = recording->game();
    const bool began = recording->state().run != 0;
    stop_recording();
    if (!began) game.frames().abandon_recording();
  }
  std::erase_if(ending, [this](const auto& one) {
    if (!one->is_done()) return false;
    const BackgroundRecorder::State state = one->state();
    const bool failed = state.phase == BackgroundRecorder::Phase::failed || !state.problem.empty();
    if (failed)
      note_problem(state.run == 0 ? state.problem : fmt::format("run {} ends early: {}", state.run, state.problem));
    if (!failed) log(fmt::format("run {} is recorded", state.run));
    return true;
  });
  for (Game& game : games) game.set_notice(notice.empty() ? "" : "not recording: " + notice);
}

void Session::note_problem(const std::string& problem) {
  constexpr std::size_t kMost = 100;
  log("not recorded: " + problem);
  notice = problem;
  ++failures;
  if (problems.size() < kMost) problems.push_back(problem);
}

void Session::record(Nanoseconds now) {
  look_after_recordings();
  Game* game = main_game();
  if (game != nullptr && may_start(now)) start_recording(*game, now);
  if (!recording) return;
  if (recording->is_over(now)) {
    stop_recording();
  } else {
    recording->add(recording->game().values(), now);
  }
}

void Session::end_recordings(std::chrono::nanoseconds at_most) {
  Game* const game = main_game();
  const bool is_due = planned && link::now() >= planned->at && !recording;
  if (is_due && game != nullptr && game->early_since()) start_recording(*game, link::now());
  if (recording) stop_recording();
  const Nanoseconds until = link::now() + at_most.count();
  for (const auto& one : ending)
    (void)one->wait(std::chrono::nanoseconds(std::max<Nanoseconds>(0, until - link::now())));
  look_after_recordings();
  for (const auto& one : std::exchange(ending, {})) {
    one->give_up();
    note_problem(
        fmt::format("{}: the end of run {} couldn't be written in time; another program may have the store locked",
                    options.store.string(), one->state().run));
  }
}

void Session::plan(double seconds, double after) {
  if (!(seconds >= 0 && seconds <= 86'400 && after >= 0 && after <= 86'400))
    throw Error("a recording takes and waits for up to a day");
  planned = Planned{link::now() + static_cast<Nanoseconds>(after * kSecond), seconds};
}

void Session::tick() {
  const Nanoseconds now = link::now();
  entrance->look();
  for (Game& game : games) {
    drain(game);
    game.attachment().beat(now);
    game.attachment().show(visible);
  }
  if (Game* game = main_game()) sample_for(*game);
  record(now);
  redraw(now);
  answer_waiting(now);
}

void Session::redraw(Nanoseconds now) {
  const bool text = now >= text_due;
  if (text) text_due = now + kTextEvery - kTick * kMillisecond / 2;
  const bool drawing = visible && pace.is_due(now);
  for (Game& game : games) {
    if (text) game.look_at_face();
    if (!game.has_picture() || !(text || (visible && game.has_traces()))) continue;
    game.update(machine_values(now), now, text);
    if (!drawing) continue;
    game.redraw(painter);
    // The next one's overlay may take its time too.
    for (Game& other : games) other.attachment().beat(link::now());
  }
  if (drawing) pace.drew(now, link::now());
}

}  // namespace idlemeter::meter
