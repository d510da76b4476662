#include "meter/session.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include "idlemeter/error.hpp"
#include "link/handover.hpp"
#include "meter/process.hpp"

namespace idlemeter::meter {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;

constexpr Nanoseconds kTextEvery = 100 * kMillisecond;
constexpr std::size_t kMostGames = 64;

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
  if (games.size() >= kMostGames) return nullptr;
  const fs::path face = face_file(attachment->pid());
  return &games.emplace_back(std::move(attachment), face, options.settings.computed);
}

void Session::leave(Game& game) {
  drain(game);
  if (is_recorded(game)) end_with_its_game();
  if (game.has_picture()) over.push_back(report(game, true));
  games.remove_if([&](const Game& one) { return &one == &game; });
}

fs::path Session::face_file(int pid) const {
  try {
    return options.file_of(options.face_of(executable_of(pid)));
  } catch (const std::exception& error) {
    log(error.what());
    return options.file_of("benchmark");
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
  const std::vector<FrameRecord>& frames = game.drain();
  if (!is_recorded(game)) return;
  try {
    recording->add(frames);
  } catch (const std::exception& error) {  // the disk is full: the game and its overlay go on
    give_up_recording(error.what());
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

void Session::start_recording(Game& game, double seconds) {
  constexpr auto kPatience = std::chrono::milliseconds(250);  // for the machine's names, in a game's first moment
  sample_for(game);
  sampler->wait(1, kPatience);
  drain(game);
  const Nanoseconds now = link::now();
  recording.emplace(options.store, game, machine_values(now), seconds, now);
  log(fmt::format("recording '{}' as run {} in {}", game.name(), recording->id(), options.store.string()));
}

std::int64_t Session::stop_recording() {
  const std::int64_t id = recording->id();
  recording->finish();
  end_recording();
  log(fmt::format("run {} is recorded", id));
  return id;
}

void Session::end_with_its_game() {
  try {
    stop_recording();
  } catch (const std::exception& error) {
    give_up_recording(error.what());
  }
}

void Session::give_up_recording(const char* why) {
  log(fmt::format("run {} ends here: {}", recording->id(), why));
  end_recording();
}

void Session::end_recording() {
  recording->game().frames().end_recording(link::now());
  recording.reset();
}

void Session::record(Nanoseconds now) {
  Game* game = main_game();
  if (planned && now >= planned->at && game != nullptr && !recording) {
    const double seconds = planned->seconds;
    planned.reset();
    start_recording(*game, seconds);
  }
  if (!recording) return;
  if (recording->is_over(now)) return end_with_its_game();
  try {
    recording->add(recording->game().values(), now);
  } catch (const std::exception& error) {
    give_up_recording(error.what());
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
  redraw(now);
  record(now);
}

void Session::redraw(Nanoseconds now) {
  const bool text = now >= text_due;
  if (text) text_due = now + kTextEvery - kTick * kMillisecond / 2;
  for (Game& game : games) {
    if (text) game.look_at_face();
    if (!game.has_picture() || !(text || (visible && game.has_traces()))) continue;
    game.update(machine_values(now), now, text);
    if (visible) game.redraw(painter);
  }
}

}  // namespace idlemeter::meter
