#include "idlemeter/meter.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <cstdlib>
#include <list>
#include <nlohmann/json.hpp>
#include <optional>

#include "idlemeter/error.hpp"
#include "link/handover.hpp"
#include "meter/above.hpp"
#include "meter/control.hpp"
#include "meter/game.hpp"
#include "meter/keys.hpp"
#include "meter/links.hpp"
#include "meter/loop.hpp"
#include "meter/recording.hpp"
#include "sources/private_socket.hpp"

namespace idlemeter {
namespace {

namespace fs = std::filesystem;
using meter::Game;
using meter::Recording;
using nlohmann::json;

constexpr unsigned kTick = 33;  // milliseconds: traces move at this pace
constexpr Nanoseconds kTextEvery = 100 * kMillisecond;
constexpr std::size_t kMostGames = 64;

fs::path executable_of(int pid) {
  std::error_code gone;
  return fs::read_symlink(fmt::format("/proc/{}/exe", pid), gone);
}

}  // namespace

struct Meter::State final : meter::Host {
  MeterOptions options;
  meter::Loop loop{[this](const char* mistake) { complain(mistake); }};
  std::list<Game> games;
  std::vector<GameReport> over;
  Painter painter;
  std::unique_ptr<Sampler> sampler;
  std::string sampled;  // what the sampler was told of the game
  Nanoseconds sampled_at = 0;
  bool visible = true;
  Nanoseconds text_due = 0, complained_at = -kSecond;
  std::unique_ptr<meter::Keys> keys;
  std::unique_ptr<meter::Control> control;
  std::unique_ptr<meter::Entrance> entrance;
  std::optional<Recording> recording;
  struct Planned {
    Nanoseconds at = 0;
    double seconds = 0;
  };
  std::optional<Planned> planned;

  explicit State(MeterOptions o) : options(std::move(o)), visible(options.visible) {}

  void log(const std::string& line) const {
    if (options.log) options.log(line);
  }

  /// What goes wrong in the loop is told at most once a second.
  void complain(const char* mistake) {
    if (link::now() - complained_at < kSecond) return;
    complained_at = link::now();
    log(mistake);
  }

  // Keys.

  /// A display that has none, or goes away, is said in the log; commands do the same.
  void listen_to_keys() {
    const auto doing = [this](const char* command) { return [this, command] { (void)act(json::parse(command)); }; };
    const KeyChoices& chosen = options.settings.keys;
    std::map<std::string, std::function<void()>> bindings = {{chosen.show, doing(R"({"do": "toggle"})")},
                                                             {chosen.clear, doing(R"({"do": "clear"})")},
                                                             {chosen.record, doing(R"({"do": "record"})")},
                                                             {chosen.face, doing(R"({"do": "face"})")},
                                                             {chosen.mark, doing(R"({"do": "mark"})")}};
    bindings.erase("");
    try {
      keys = std::make_unique<meter::Keys>(bindings);
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

  // Games.

  Game* come(std::unique_ptr<meter::Attachment> attachment) override {
    if (games.size() >= kMostGames) return nullptr;
    const fs::path face = face_file(attachment->pid());
    return &games.emplace_back(std::move(attachment), face, options.settings.computed);
  }

  void leave(Game& game) override {
    drain(game);
    if (is_recorded(game)) end_with_its_game();
    if (game.has_picture()) over.push_back(report(game, true));
    games.remove_if([&](const Game& one) { return &one == &game; });
  }

  fs::path face_file(int pid) const {
    try {
      return options.file_of(options.face_of(executable_of(pid)));
    } catch (const std::exception& error) {
      log(error.what());
      return options.file_of("benchmark");
    }
  }

  static GameReport report(const Game& game, bool over) {
    return {game.pid(),
            game.name(),
            game.attachment().api(),
            game.picture(),
            game.presents(),
            game.attachment().blind(),
            game.whole().summary(),
            over};
  }

  /// The one that has presented most.
  Game* main_game() {
    Game* found = nullptr;
    for (Game& game : games) {
      if (game.has_picture() && (found == nullptr || game.presents() > found->presents())) found = &game;
    }
    return found;
  }

  /// Takes the frames that have come, for the recording too.
  void drain(Game& game) {
    const std::vector<FrameRecord>& frames = game.drain();
    if (!is_recorded(game)) return;
    try {
      recording->add(frames);
    } catch (const std::exception& error) {  // the disk is full: the game and its overlay go on
      give_up_recording(error.what());
    }
  }

  // Readings.

  void sample_for(const Game& game) {
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

  /// Without the feed where another meter listens to it.
  Sources sources_for(const GameFacts& facts) {
    try {
      return sources_with(options.settings, {.game = facts});
    } catch (const Error& error) {
      log(error.what());
      options.settings.feed.reset();
      return sources_with(options.settings, {.game = facts});
    }
  }

  [[nodiscard]] Snapshot machine_values(Nanoseconds now) const {
    const Snapshot machine = sampler == nullptr ? Snapshot(now, {}) : sampler->snapshot();
    return recording ? machine.with(marks_batch(now)) : machine;
  }

  [[nodiscard]] std::shared_ptr<const Batch> marks_batch(Nanoseconds now) const {
    static const auto list = std::make_shared<const ReadingList>(
        std::vector<ReadingInfo>{{"recording.marks", "Marks set in the recording", "Marks", "Game", DeviceKind::frames,
                                  Unit::none, "the user", 0}});
    return std::make_shared<const Batch>(Batch{list, {static_cast<double>(recording->marks())}, now});
  }

  // Recording.

  [[nodiscard]] bool is_recorded(const Game& game) const { return recording && &recording->game() == &game; }

  void start_recording(Game& game, double seconds) {
    constexpr auto kPatience = std::chrono::milliseconds(250);  // for the machine's names, in a game's first moment
    sample_for(game);
    sampler->wait(1, kPatience);
    drain(game);
    const Nanoseconds now = link::now();
    recording.emplace(options.store, game, machine_values(now), seconds, now);
    log(fmt::format("recording '{}' as run {} in {}", game.name(), recording->id(), options.store.string()));
  }

  std::int64_t stop_recording() {
    const std::int64_t id = recording->id();
    recording->finish();
    end_recording();
    log(fmt::format("run {} is recorded", id));
    return id;
  }

  /// For what can't be stopped by a mistake of the store's.
  void end_with_its_game() {
    try {
      stop_recording();
    } catch (const std::exception& error) {
      give_up_recording(error.what());
    }
  }

  void give_up_recording(const char* why) {
    log(fmt::format("run {} ends here: {}", recording->id(), why));
    end_recording();
  }

  void end_recording() {
    recording->game().frames().end_recording(link::now());
    recording.reset();
  }

  /// Begins, goes on and ends as it was planned.
  void record(Nanoseconds now) {
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

  void plan(double seconds, double after) {
    if (!(seconds >= 0 && seconds <= 86'400 && after >= 0 && after <= 86'400))
      throw Error("a recording takes and waits for up to a day");
    planned = Planned{link::now() + static_cast<Nanoseconds>(after * kSecond), seconds};
  }

  // The loop.

  void tick() {
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

  /// Texts and what is hidden at their pace, traces at each tick.
  void redraw(Nanoseconds now) {
    const bool text = now >= text_due;
    if (text) text_due = now + kTextEvery - kTick * kMillisecond / 2;
    for (Game& game : games) {
      if (text) game.look_at_face();
      if (!game.has_picture() || !(text || (visible && game.has_traces()))) continue;
      game.update(machine_values(now), now, text);
      if (visible) game.redraw(painter);
    }
  }

  // Commands.

  std::string obey(const std::string& line) {
    json answer;
    try {
      const json command = json::parse(line, nullptr, false);
      if (!command.is_object() || !command.value("do", json()).is_string())
        throw Error("not a command", "", "send an object like {\"do\": \"state\"}");
      answer = act(command);
    } catch (const std::exception& error) {
      answer = {{"error", error.what()}};
    }
    return answer.dump(-1, ' ', false, json::error_handler_t::replace);
  }

  json act(const json& command) {
    const std::string what = command["do"];
    if (what == "show" || what == "hide" || what == "toggle") {
      visible = what == "show" || (what == "toggle" && !visible);
      text_due = 0;
      tick();
      return {{"ok", true}, {"visible", visible}};
    }
    if (what == "clear") {
      for (Game& game : games) game.frames().clear();
      return {{"ok", true}};
    }
    if (what == "mark") return mark();
    if (what == "face") return choose_face(command.value("name", std::string()));
    if (what == "record") return change_recording(command);
    if (what == "state") return state();
    throw Error(fmt::format("'{}' is nothing that a meter does", what));
  }

  json mark() {
    if (!recording) throw Error("no recording is at work", "", "start one with 'idlemeter tell record'");
    const int marks = recording->mark();
    text_due = 0;
    tick();
    return {{"ok", true}, {"marks", marks}};
  }

  /// The one behind the face that is shown; the first where it is none of them.
  [[nodiscard]] std::string next_face() {
    if (options.faces.empty()) throw Error("there is no other face");
    const Game* game = main_game();
    for (std::size_t i = 0; game != nullptr && i < options.faces.size(); ++i) {
      if (options.file_of(options.faces[i]) == game->face().file())
        return options.faces[(i + 1) % options.faces.size()];
    }
    return options.faces.front();
  }

  json choose_face(std::string name) {
    if (name.empty()) name = next_face();
    const fs::path file = options.file_of(name);
    (void)load_face(file);
    for (Game& game : games) game.set_face(file);
    return {{"ok", true}, {"face", name}};
  }

  json change_recording(const json& command) {
    const std::string what = command.value("what", "toggle");
    if (what == "stop" || (what == "toggle" && recording)) {
      planned.reset();
      if (!recording) throw Error("no recording is at work");
      return {{"ok", true}, {"run", stop_recording()}};
    }
    if (recording) throw Error(fmt::format("run {} is being recorded", recording->id()), "", "stop it first");
    plan(command.value("for", 0.0), command.value("after", 0.0));
    record(link::now());
    json answer = {{"ok", true}};
    if (recording) answer["run"] = recording->id();
    return answer;
  }

  static json state_of(Game& game) {
    const Summary summary = game.whole().summary();
    json one = {{"pid", game.pid()},
                {"name", game.name()},
                {"api", game.attachment().api()},
                {"picture", game.picture()},
                {"frames", game.presents()},
                {"lost", game.lost()},
                {"face", game.face().file().string()}};
    if (summary.average_rate) one["average_fps"] = *summary.average_rate;
    if (const Low* low = summary.low(Share{10'000})) one["low_1_percent_fps"] = low->rate;
    if (const std::string blind = game.attachment().blind(); !blind.empty()) one["frames_unknown"] = blind;
    if (!game.face().mistake().empty()) one["mistake"] = game.face().mistake();
    return one;
  }

  json state() {
    json list = json::array();
    for (Game& game : games) list.push_back(state_of(game));
    json answer = {{"ok", true}, {"pid", ::getpid()}, {"visible", visible}, {"games", list}};
    if (recording) answer["recording"] = {{"run", recording->id()}, {"pid", recording->game().pid()}};
    return answer;
  }
};

Meter::Meter(MeterOptions options) : state_(std::make_unique<State>(std::move(options))) {
  State& s = *state_;
  s.control = std::make_unique<meter::Control>(s.loop, s.options.folder / fmt::format("{}.control", ::getpid()),
                                               [this](const std::string& line) { return state_->obey(line); });
  if (s.options.above) {
    s.entrance = std::make_unique<meter::Above>(s.loop, s.options.above, s);
  } else {
    s.entrance = std::make_unique<meter::Links>(s.loop, link_socket(), s);
  }
  s.listen_to_keys();
  s.loop.every(kTick, [this] { state_->tick(); });
}

Meter::~Meter() {
  State& s = *state_;
  if (s.recording) s.end_with_its_game();
  if (s.keys != nullptr) s.loop.unwatch(s.keys->descriptor());
}

fs::path Meter::link_socket() const {
  const MeterOptions& options = state_->options;
  return options.folder / (options.socket.empty() ? fmt::format("{}.link", ::getpid()) : options.socket);
}
void Meter::watch(int fd, std::function<void()> ready) { state_->loop.watch(fd, std::move(ready)); }
void Meter::run() { state_->loop.run(); }
void Meter::stop() { state_->loop.stop(); }
bool Meter::has_games() const { return !state_->games.empty(); }
void Meter::record(double seconds, double after) { state_->plan(seconds, after); }

std::vector<GameReport> Meter::reports() {
  std::vector<GameReport> all = state_->over;
  for (Game& game : state_->games) {
    state_->drain(game);
    if (game.has_picture()) all.push_back(State::report(game, false));
  }
  return all;
}

fs::path meter_folder() { return sources::runtime_folder(); }

}  // namespace idlemeter
