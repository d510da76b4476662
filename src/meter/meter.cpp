#include "idlemeter/meter.hpp"

#include <fmt/format.h>
#include <signal.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cstdlib>
#include <ctime>
#include <list>
#include <nlohmann/json.hpp>

#include "idlemeter/error.hpp"
#include "link/handover.hpp"
#include "meter/game.hpp"
#include "meter/keys.hpp"
#include "meter/loop.hpp"
#include "sources/private_socket.hpp"

namespace idlemeter {
namespace {

namespace fs = std::filesystem;
using meter::LinkedGame;
using nlohmann::json;

constexpr unsigned kTick = 33;  // milliseconds
constexpr Nanoseconds kTextEvery = 100 * kMillisecond, kTraceEvery = 33 * kMillisecond;
constexpr Nanoseconds kSampleEvery = kSecond / 2;
constexpr std::size_t kMostGames = 64, kMostClients = 16, kLongestCommand = 64 * 1024;

fs::path executable_of(int pid) {
  std::error_code gone;
  return fs::read_symlink(fmt::format("/proc/{}/exe", pid), gone);
}

std::string text_of(const Snapshot& values, const char* id) {
  const Snapshot::Entry entry = values.find(id);
  const auto* text = entry.value == nullptr ? nullptr : std::get_if<std::string>(entry.value);
  return text == nullptr ? "" : *text;
}

struct Client {
  int socket = -1;
  std::string input;
};

}  // namespace

struct Meter::State {
  MeterOptions options;
  fs::path link_path, control_path;
  int link_socket = -1, control_socket = -1;
  meter::Loop loop;
  std::list<LinkedGame> games;
  std::vector<GameReport> over;
  std::list<Client> clients;
  Painter painter;
  std::unique_ptr<Sampler> sampler;
  std::string sampled;  // what the sampler was told of the game
  Nanoseconds sampled_at = 0;
  ComputedReadings computed;
  bool visible = true;
  Nanoseconds text_due = 0, trace_due = 0;
  std::unique_ptr<meter::Keys> keys;

  struct Recording {
    std::unique_ptr<Store> store;
    std::unique_ptr<Recorder> recorder;
    int pid = 0;
    Nanoseconds since = 0, until = 0, sample_due = 0;
  };
  std::optional<Recording> recording;
  struct Planned {
    Nanoseconds at = 0;
    double seconds = 0;
  };
  std::optional<Planned> planned;
  int marks = 0;

  explicit State(MeterOptions o)
      : options(std::move(o)), computed(options.settings.computed), visible(options.visible) {}

  void log(const std::string& line) const {
    if (options.log) options.log(line);
  }

  // Keys.

  /// A display that has none, or goes away, is said in the log; commands do the same.
  void listen_to_keys() {
    const auto doing = [this](const char* command) {
      return [this, command] {
        const json answer = obey(command);
        if (answer.contains("error")) log(answer.value("error", ""));
      };
    };
    const KeyChoices& chosen = options.settings.keys;
    std::map<std::string, std::function<void()>> bindings = {{chosen.show, doing(R"({"do": "toggle"})")},
                                                             {chosen.clear, doing(R"({"do": "clear"})")},
                                                             {chosen.record, doing(R"({"do": "record"})")},
                                                             {chosen.face, doing(R"({"do": "face"})")},
                                                             {chosen.mark, doing(R"({"do": "mark"})")}};
    bindings.erase("");
    try {
      keys = std::make_unique<meter::Keys>(bindings);
      loop.watch(keys->descriptor(), [this] {
        if (keys->hear()) return;
        loop.unwatch(keys->descriptor());
        keys.reset();
        log("the display for keys is gone");
      });
    } catch (const Error& error) {
      log(error.what());
    }
  }

  // Links.

  void accept_probe() {
    const int socket = ::accept4(link_socket, nullptr, nullptr, SOCK_CLOEXEC | SOCK_NONBLOCK);
    if (socket < 0) return;
    link::MeterEnd end(socket);
    if (!link::peer_is_mine(socket) || games.size() >= kMostGames) return;
    games.emplace_back(std::move(end), face_file(end_pid(socket)));
    LinkedGame& game = games.back();
    loop.watch(socket, [this, &game] {
      if (game.end().receive()) return;
      if (!game.end().linked() || !is_alive(game)) return leave(game);
      game.cut_off();
      loop.unwatch(game.end().socket());
    });
  }

  static int end_pid(int socket) {
    ucred peer{};
    socklen_t size = sizeof peer;
    return ::getsockopt(socket, SOL_SOCKET, SO_PEERCRED, &peer, &size) == 0 ? peer.pid : 0;
  }

  fs::path face_file(int pid) {
    try {
      return options.file_of(options.face_of(executable_of(pid)));
    } catch (const std::exception& error) {
      log(error.what());
      return options.file_of("benchmark");
    }
  }

  /// The process is there and hasn't linked itself anew, as after exec().
  [[nodiscard]] bool is_alive(const LinkedGame& game) const {
    for (auto other = games.rbegin(); other != games.rend() && &*other != &game; ++other) {
      if (other->end().pid() == game.end().pid() && other->end().linked()) return false;
    }
    return game.end().pid() > 0 && (::kill(game.end().pid(), 0) == 0 || errno == EPERM);
  }

  void leave_the_dead() {
    for (auto game = games.begin(); game != games.end();) {
      LinkedGame& one = *game++;
      if (one.is_cut_off() && !is_alive(one)) leave(one);
    }
  }

  static GameReport report(const LinkedGame& game, bool over) {
    return {game.end().pid(), game.name(), game.api(), game.picture(), game.presents(), game.whole().summary(), over};
  }

  void leave(LinkedGame& game) {
    game.drain(recorder_of(game), recording ? recording->since : 0);
    if (recording && recording->pid == game.end().pid()) stop_recording();
    if (game.presents() > 0) over.push_back(report(game, true));
    loop.unwatch(game.end().socket());
    games.remove_if([&](const LinkedGame& one) { return &one == &game; });
  }

  /// The one that has presented most.
  LinkedGame* main_game() {
    LinkedGame* found = nullptr;
    for (LinkedGame& game : games) {
      if (game.presents() > 0 && (found == nullptr || game.presents() > found->presents())) found = &game;
    }
    return found;
  }

  // Readings.

  void sample_for(const LinkedGame& game) {
    const GameFacts facts{game.end().pid(), game.name(), game.api(), game.picture()};
    const std::string key = fmt::format("{} {} {}", facts.pid, facts.api, facts.picture);
    const Nanoseconds now = link::now();
    if (key == sampled || (sampler != nullptr && now - sampled_at < 2 * kSecond)) return;
    sampled = key;
    sampled_at = now;
    sampler.reset();
    sampler = std::make_unique<Sampler>(sources_with(options.settings, {.game = facts}),
                                        SamplerOptions{.pace = options.settings.pace, .paces = options.settings.paces});
  }

  Snapshot values_for(LinkedGame& game, Nanoseconds now) {
    const Snapshot machine = sampler == nullptr ? Snapshot(now, {}) : sampler->snapshot();
    return computed.add_to(machine.with(game.frames().batch(now)).with(marks_batch(now)));
  }

  [[nodiscard]] std::shared_ptr<const Batch> marks_batch(Nanoseconds now) const {
    static const auto list = std::make_shared<const ReadingList>(
        std::vector<ReadingInfo>{{"recording.marks", "Marks set in the recording", "Marks", "Game", DeviceKind::frames,
                                  Unit::none, "the user", 0}});
    return std::make_shared<const Batch>(Batch{list, {static_cast<double>(marks)}, now});
  }

  // Recording.

  Recorder* recorder_of(const LinkedGame& game) {
    return recording && recording->pid == game.end().pid() ? recording->recorder.get() : nullptr;
  }

  void start_recording(double seconds) {
    LinkedGame* game = main_game();
    if (recording || game == nullptr) return;
    const Nanoseconds now = link::now();
    game->drain(nullptr, 0);
    Recording started;
    started.store = std::make_unique<Store>(options.store);
    RunDetails details;
    details.game = game->name();
    const Snapshot values = values_for(*game, now);
    const std::pair<const char*, const char*> kFacts[] = {{"Processor", "cpu.name"}, {"GPU", "gpu.name"}};
    for (const auto& [name, id] : kFacts) {
      if (const std::string text = text_of(values, id); !text.empty()) details.facts[name] = text;
    }
    details.facts["Picture"] = game->picture();
    details.facts["Graphics API"] = game->api();
    started.recorder = std::make_unique<Recorder>(*started.store, details, [] { return link::now(); });
    started.pid = game->end().pid();
    started.since = now;
    started.until = seconds > 0 ? now + static_cast<Nanoseconds>(seconds * kSecond) : 0;
    recording = std::move(started);
    marks = 0;
    game->frames().begin_recording(now);
    log(fmt::format("recording '{}' as run {} in {}", game->name(), recording->recorder->id(), options.store.string()));
  }

  std::int64_t stop_recording() {
    if (!recording) return 0;
    std::int64_t id = recording->recorder->id();
    try {
      id = recording->recorder->finish();
      log(fmt::format("run {} is recorded", id));
    } catch (const std::exception& error) {
      log(error.what());
    }
    for (LinkedGame& game : games) {
      if (game.end().pid() == recording->pid) game.frames().end_recording(link::now());
    }
    recording.reset();
    return id;
  }

  void record_samples(Nanoseconds now) {
    if (planned && now >= planned->at && main_game() != nullptr) {
      const double seconds = planned->seconds;
      planned.reset();
      start_recording(seconds);
    }
    if (!recording) return;
    if (recording->until > 0 && now >= recording->until) {
      stop_recording();
      return;
    }
    if (now < recording->sample_due) return;
    recording->sample_due = now + kSampleEvery;
    for (LinkedGame& game : games) {
      if (game.end().pid() == recording->pid) recording->recorder->add(now - recording->since, values_for(game, now));
    }
  }

  // The loop.

  void tick() {
    const Nanoseconds now = link::now();
    leave_the_dead();
    for (LinkedGame& game : games) {
      try {
        game.drain(recorder_of(game), recording ? recording->since : 0);
      } catch (const std::exception& error) {  // the store: the disk is full
        log(error.what());
        recording.reset();
      }
      game.end().beat(now);
      game.end().show(visible);
    }
    if (LinkedGame* game = main_game()) sample_for(*game);
    try {
      record_samples(now);
    } catch (const std::exception& error) {
      log(error.what());
      recording.reset();
    }
    redraw(now);
  }

  void redraw(Nanoseconds now) {
    const bool text = now >= text_due, traces = now >= trace_due;
    if (text) text_due = now + kTextEvery - kTick * kMillisecond / 2;
    if (traces) trace_due = now + kTraceEvery - kTick * kMillisecond / 2;
    for (LinkedGame& game : games) {
      if (game.presents() == 0 || !(text || (traces && game.has_traces()))) continue;
      const Snapshot values = values_for(game, now);
      if (text) game.history().add(values);
      if (visible) game.redraw(values, painter);
    }
  }

  // Commands.

  void accept_client() {
    const int socket = ::accept4(control_socket, nullptr, nullptr, SOCK_CLOEXEC | SOCK_NONBLOCK);
    if (socket < 0) return;
    if (!link::peer_is_mine(socket) || clients.size() >= kMostClients) {
      ::close(socket);
      return;
    }
    clients.push_back({socket, {}});
    Client& client = clients.back();
    loop.watch(socket, [this, &client] { hear(client); });
  }

  void hear(Client& client) {
    char buffer[4096];
    const ssize_t got = ::recv(client.socket, buffer, sizeof buffer, MSG_DONTWAIT);
    if (got < 0 && (errno == EAGAIN || errno == EINTR)) return;
    if (got > 0) client.input.append(buffer, static_cast<std::size_t>(got));
    for (std::size_t end; (end = client.input.find('\n')) != std::string::npos;) {
      const std::string answer =
          obey(client.input.substr(0, end)).dump(-1, ' ', false, json::error_handler_t::replace) + "\n";
      client.input.erase(0, end + 1);
      (void)!::send(client.socket, answer.data(), answer.size(), MSG_NOSIGNAL | MSG_DONTWAIT);
    }
    if (got > 0 && client.input.size() < kLongestCommand) return;
    loop.unwatch(client.socket);
    ::close(client.socket);
    clients.remove_if([&](const Client& one) { return &one == &client; });
  }

  json obey(const std::string& line) {
    const json command = json::parse(line, nullptr, false);
    if (!command.is_object() || !command.value("do", json()).is_string())
      return {{"error", "not a command; send an object like {\"do\": \"state\"}"}};
    try {
      return act(command, command["do"]);
    } catch (const std::exception& error) {
      return {{"error", error.what()}};
    }
  }

  json act(const json& command, const std::string& what) {
    if (what == "show" || what == "hide" || what == "toggle") {
      visible = what == "show" || (what == "toggle" && !visible);
      text_due = trace_due = 0;
      tick();
      return {{"ok", true}, {"visible", visible}};
    }
    if (what == "clear") {
      for (LinkedGame& game : games) game.frames().clear();
      return {{"ok", true}};
    }
    if (what == "mark") return mark();
    if (what == "face") return choose_face(command.value("name", std::string()));
    if (what == "record") return record(command);
    if (what == "state") return state();
    throw Error(fmt::format("'{}' is nothing that a meter does", what));
  }

  json mark() {
    if (!recording) throw Error("no recording is at work", "", "start one with 'idlemeter tell record'");
    ++marks;
    recording->sample_due = 0;
    record_samples(link::now());
    return {{"ok", true}, {"marks", marks}};
  }

  /// Of the face that is shown; the last one's where it is none of them.
  std::size_t place_of_face() {
    const LinkedGame* game = main_game();
    for (std::size_t i = 0; game != nullptr && i < options.faces.size(); ++i) {
      if (options.file_of(options.faces[i]) == games.front().face().file()) return i;
    }
    return options.faces.size() - 1;
  }

  json choose_face(std::string name) {
    if (name.empty()) {
      if (options.faces.empty()) throw Error("there is no other face");
      name = options.faces[(place_of_face() + 1) % options.faces.size()];
    }
    const fs::path file = options.file_of(name);
    (void)load_face(file);
    for (LinkedGame& game : games) game.set_face(file);
    return {{"ok", true}, {"face", name}};
  }

  json record(const json& command) {
    const std::string what = command.value("what", "toggle");
    if (what == "stop" || (what == "toggle" && recording)) {
      planned.reset();
      if (!recording) throw Error("no recording is at work");
      return {{"ok", true}, {"run", stop_recording()}};
    }
    if (recording) throw Error(fmt::format("run {} is being recorded", recording->recorder->id()), "", "stop it first");
    plan(command.value("for", 0.0), command.value("after", 0.0));
    record_samples(link::now());
    json answer = {{"ok", true}};
    if (recording) answer["run"] = recording->recorder->id();
    return answer;
  }

  void plan(double seconds, double after) {
    if (!(seconds >= 0 && seconds <= 86'400 && after >= 0 && after <= 86'400))
      throw Error("a recording takes and waits for up to a day");
    planned = Planned{link::now() + static_cast<Nanoseconds>(after * kSecond), seconds};
  }

  json state() {
    json list = json::array();
    for (LinkedGame& game : games) {
      const Summary summary = game.whole().summary();
      json one = {{"pid", game.end().pid()},
                  {"name", game.name()},
                  {"api", game.api()},
                  {"picture", game.picture()},
                  {"frames", game.presents()},
                  {"lost", game.lost()},
                  {"face", game.face().file().string()}};
      if (summary.average_rate) one["average_fps"] = *summary.average_rate;
      if (const Low* low = summary.low(Share{10'000})) one["low_1_percent_fps"] = low->rate;
      if (!game.face().mistake().empty()) one["mistake"] = game.face().mistake();
      list.push_back(std::move(one));
    }
    json answer = {{"ok", true}, {"pid", ::getpid()}, {"visible", visible}, {"games", list}};
    if (recording) answer["recording"] = {{"run", recording->recorder->id()}, {"pid", recording->pid}};
    return answer;
  }
};

Meter::Meter(MeterOptions options) : state_(std::make_unique<State>(std::move(options))) {
  State& s = *state_;
  const std::string name = s.options.socket.empty() ? fmt::format("{}.link", ::getpid()) : s.options.socket;
  s.link_path = s.options.folder / name;
  s.control_path = s.options.folder / fmt::format("{}.control", ::getpid());
  s.link_socket = sources::listen_privately(s.link_path);
  s.control_socket = sources::listen_privately(s.control_path);
  s.loop.watch(s.link_socket, [this] { state_->accept_probe(); });
  s.loop.watch(s.control_socket, [this] { state_->accept_client(); });
  s.listen_to_keys();
  s.loop.every(kTick, [this] { state_->tick(); });
}

Meter::~Meter() {
  State& s = *state_;
  s.stop_recording();
  for (const Client& client : s.clients) {
    s.loop.unwatch(client.socket);
    ::close(client.socket);
  }
  for (LinkedGame& game : s.games) s.loop.unwatch(game.end().socket());
  if (s.keys != nullptr) s.loop.unwatch(s.keys->descriptor());
  for (int socket : {s.link_socket, s.control_socket}) {
    s.loop.unwatch(socket);
    ::close(socket);
  }
  std::error_code gone;
  fs::remove(s.link_path, gone);
  fs::remove(s.control_path, gone);
}

fs::path Meter::link_socket() const { return state_->link_path; }
void Meter::watch(int fd, std::function<void()> ready) { state_->loop.watch(fd, std::move(ready)); }
void Meter::run() { state_->loop.run(); }
void Meter::stop() { state_->loop.stop(); }
bool Meter::has_games() const { return !state_->games.empty(); }
void Meter::record(double seconds, double after) { state_->plan(seconds, after); }

std::vector<GameReport> Meter::reports() const {
  std::vector<GameReport> all = state_->over;
  for (LinkedGame& game : state_->games) {
    game.drain(state_->recorder_of(game), state_->recording ? state_->recording->since : 0);
    if (game.presents() > 0) all.push_back(State::report(game, false));
  }
  return all;
}

fs::path meter_folder() {
  const char* runtime = std::getenv("XDG_RUNTIME_DIR");
  if (runtime != nullptr && *runtime == '/') return fs::path(runtime) / "idlemeter";
  return fmt::format("/tmp/idlemeter-{}", ::geteuid());
}

std::vector<RunningMeter> running_meters(const fs::path& folder) {
  std::vector<RunningMeter> meters;
  std::error_code absent;
  for (const fs::directory_entry& entry : fs::directory_iterator(folder, absent)) {
    const fs::path& path = entry.path();
    const int pid = std::atoi(path.stem().c_str());
    if (path.extension() != ".control" || pid <= 0) continue;
    const int socket = link::connect_to(path.c_str());
    if (socket < 0) continue;
    ::close(socket);
    meters.push_back({pid, path});
  }
  std::sort(meters.begin(), meters.end(), [](const auto& a, const auto& b) { return a.pid < b.pid; });
  return meters;
}

std::string tell_meter(const fs::path& control_socket, const std::string& command) {
  const int socket = link::connect_to(control_socket.c_str());
  if (socket < 0) throw Error("no meter answers", control_socket.string());
  const std::string line = command + "\n";
  std::string answer;
  const Nanoseconds end = link::now() + 2 * kSecond;
  bool sent = ::send(socket, line.data(), line.size(), MSG_NOSIGNAL) == static_cast<ssize_t>(line.size());
  while (sent && answer.find('\n') == std::string::npos && link::now() < end) {
    char buffer[4096];
    const ssize_t got = ::recv(socket, buffer, sizeof buffer, MSG_DONTWAIT);
    if (got > 0) answer.append(buffer, static_cast<std::size_t>(got));
    if (got == 0) break;
    if (got < 0) ::usleep(2'000);
  }
  ::close(socket);
  if (answer.find('\n') == std::string::npos)
    throw Error("the meter doesn't answer", control_socket.string(), "it may be stopped: 'kill -CONT' its process");
  return answer.substr(0, answer.find('\n'));
}

}  // namespace idlemeter
