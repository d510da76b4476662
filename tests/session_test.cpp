// A meter with games that present from within the test, over the real link, without a display.
#include <gtest/gtest.h>
#include <signal.h>
#include <sys/eventfd.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <functional>
#include <limits>
#include <list>
#include <mutex>
#include <nlohmann/json.hpp>
#include <thread>

#include "base/local_socket.hpp"
#include "base/private_socket.hpp"
#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/meter/meter.hpp"
#include "idlemeter/meter/process.hpp"
#include "idlemeter/meter/running_meters.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"
#include "idlemeter/sources/feed.hpp"
#include "link/probe_end.hpp"

namespace idlemeter {
namespace {

using namespace base;

using nlohmann::json;

constexpr const char* kRate = "[[row]]\nlabel = \"Rate\"\ncells = [ { reading = \"frame.rate\" } ]\n";
constexpr const char* kTrace = "[[row]]\ncells = [ { reading = \"frame.time\", as = \"trace\" } ]\n";

/// A meter that runs beside the test.
class Session : public ::testing::Test {
 protected:
  Session() {
    ::unsetenv("DISPLAY");
    folder_.file("rate.toml", kRate);
    folder_.file("trace.toml", kTrace);
    MeterOptions options;
    options.folder = folder_ / "session";
    options.store = folder_ / "runs.db";
    options.faces = {"rate", "trace"};
    options.face_of = [](const std::filesystem::path&) { return std::string("rate"); };
    options.file_of = [this](const std::string& name) {
      const auto file = folder_ / (name + ".toml");
      if (!std::filesystem::exists(file)) throw Error("no such face", name);
      return file;
    };
    options.log = [this](const std::string& line) {
      const std::lock_guard lock(log_mutex_);
      log_ += line + "\n";
    };
    start(std::move(options));
  }

  void start(MeterOptions options) {
    options_ = options;
    meter_ = std::make_unique<Meter>(std::move(options));
    meter_->watch(stop_, [this] { meter_->stop(); });
    ::setenv(link::kVariable, meter_->link_socket().c_str(), 1);
    thread_ = std::thread([this] { meter_->run(); });
  }

  ~Session() override {
    stop();
    ::close(stop_);
  }

  void stop() {
    if (!thread_.joinable()) return;
    const std::uint64_t one = 1;
    EXPECT_EQ(::write(stop_, &one, sizeof one), 8);
    thread_.join();
  }

  [[nodiscard]] std::filesystem::path control() const {
    return folder_ / ("session/" + std::to_string(::getpid()) + ".control");
  }

  [[nodiscard]] json tell(const std::string& command) const { return json::parse(tell_meter(control(), command)); }

  /// Presents until the state holds, for at most a minute.
  template <typename Holds>
  json play_until(link::ProbeEnd& probe, Holds holds, std::uint32_t width = 640) {
    json state;
    for (int i = 0; i < 6'000; ++i) {
      link::FrameEntry frame;
      frame.present = monotonic_now();
      frame.drawable = 1;
      frame.width = width;
      frame.height = 360;
      frame.gpu_work = kMillisecond;
      probe.add(frame, {link::Api::vulkan, 1, 3});
      ::usleep(2'000);
      if (i % 10 != 0) continue;
      state = tell(R"({"do": "state"})");
      if (holds(state)) return state;
    }
    ADD_FAILURE() << "not in time: " << state;
    return state;
  }

  static bool has_frames(const json& state) { return !state["games"].empty() && state["games"][0]["frames"] > 20; }

  [[nodiscard]] std::string log() {
    const std::lock_guard lock(log_mutex_);
    return log_;
  }

  /// Replaces the meter by one with other options.
  void restart(const std::function<void(MeterOptions&)>& change) {
    stop();
    meter_.reset();
    std::uint64_t times = 0;
    EXPECT_EQ(::read(stop_, &times, sizeof times), 8);
    change(options_);
    start(options_);
  }

  testing::Folder folder_;
  MeterOptions options_;
  std::mutex log_mutex_;
  std::string log_;
  std::unique_ptr<Meter> meter_;  // logs until it ends
  int stop_ = ::eventfd(0, EFD_CLOEXEC);
  std::thread thread_;
};

TEST_F(Session, ReportsTheGameThatPresents) {
  link::ProbeEnd probe;
  const json state = play_until(probe, has_frames);
  const json& game = state["games"][0];
  EXPECT_EQ(game["pid"], ::getpid());
  EXPECT_EQ(game["api"], "Vulkan 1.3");
  EXPECT_EQ(game["picture"], "640x360");
  EXPECT_EQ(game["lost"], 0);
  EXPECT_GT(game["average_fps"], 10);
  EXPECT_EQ(game["face"], "rate") << "as the user calls it";
  EXPECT_EQ(play_until(
                probe, [](const json& s) { return s["games"][0]["picture"] == "800x360"; }, 800)["pid"],
            ::getpid());
  stop();
  const std::vector<GameReport> reports = meter_->reports();
  ASSERT_EQ(reports.size(), 1u);
  EXPECT_GT(reports[0].presents, 20u);
  EXPECT_GT(*reports[0].summary.average_rate, 10);
  EXPECT_FALSE(reports[0].over);
  EXPECT_NE(log().find("there is no X11 display for keys"), std::string::npos) << log();
}

TEST_F(Session, HandsOverAPictureThatCanBeHiddenAndChanged) {
  link::ProbeEnd probe;
  const auto is_shown = [&](const json&) { return probe.picture().pixels != nullptr; };
  play_until(probe, is_shown);
  const link::Slot rate = probe.picture().slot;
  EXPECT_GT(rate.width * rate.height, 0u);
  EXPECT_EQ(tell(R"({"do": "hide"})"), json::parse(R"({"ok": true, "visible": false})"));
  EXPECT_EQ(probe.picture().pixels, nullptr);
  EXPECT_EQ(tell(R"({"do": "toggle"})")["visible"], true);
  EXPECT_EQ(tell(R"({"do": "face"})")["face"], "trace") << "the next";
  play_until(probe, [&](const json&) { return probe.picture().slot.height != rate.height; });
  EXPECT_EQ(tell(R"({"do": "face"})")["face"], "rate") << "the first again after the last";
  EXPECT_EQ(tell(R"({"do": "face", "name": "trace"})")["face"], "trace");
  folder_.file("trace.toml", std::string(kTrace) + "x = ");
  const json broken = play_until(probe, [](const json& s) { return s["games"][0].contains("mistake"); });
  EXPECT_NE(broken["games"][0].value("mistake", "").find("trace.toml:3:"), std::string::npos) << broken;
  EXPECT_TRUE(is_shown({})) << "the last good one stays";
}

TEST_F(Session, RecordsFramesValuesAndMarks) {
  link::ProbeEnd probe;
  play_until(probe, has_frames);
  EXPECT_EQ(tell(R"({"do": "record", "what": "start"})")["run"], 1);
  EXPECT_EQ(play_until(probe, [](const json&) { return true; })["recording"]["run"], 1);
  EXPECT_EQ(tell(R"({"do": "mark"})")["marks"], 1);
  const auto later = monotonic_now() + kSecond;
  play_until(probe, [&](const json&) { return monotonic_now() > later; });
  EXPECT_EQ(tell(R"({"do": "record"})")["run"], 1) << "toggled off";
  play_until(probe, [](const json& s) { return !s.contains("recording"); });  // on a busy disk its end takes a while
  EXPECT_EQ(tell(R"({"do": "record", "for": 0.2})")["run"], 2);
  play_until(probe, [](const json& s) { return !s.contains("recording"); });
  const Store store(folder_ / "runs.db", Store::Mode::existing);
  ASSERT_EQ(store.runs().size(), 2u);
  EXPECT_TRUE(store.runs()[0].finished && store.runs()[1].finished);
  EXPECT_EQ(store.runs()[0].details.facts.at("Graphics API"), "Vulkan 1.3");
  EXPECT_LT(store.runs()[1].length, kSecond);
  const auto frames = store.frames(1);
  ASSERT_GT(frames.size(), 10u);
  EXPECT_EQ(frames[5].gpu_work, kMillisecond);
  double marks = -1;
  for (const RunSeries& series : store.series(1)) {
    if (series.info.id == "recording.marks") marks = number(series.values.back()).value_or(-2);
  }
  EXPECT_EQ(marks, 1);
}

TEST_F(Session, ARecordingIsKeptWhenTheMeterEnds) {
  link::ProbeEnd probe;
  play_until(probe, has_frames);
  EXPECT_EQ(tell(R"({"do": "record", "what": "start"})")["run"], 1);
  const auto later = monotonic_now() + kSecond / 2;
  play_until(probe, [&](const json&) { return monotonic_now() > later; });
  stop();
  meter_.reset();
  const Store store(folder_ / "runs.db", Store::Mode::existing);
  ASSERT_EQ(store.runs().size(), 1u);
  EXPECT_TRUE(store.runs()[0].finished);
  EXPECT_GT(store.frames(1).size(), 5u);
  EXPECT_TRUE(std::filesystem::is_empty(folder_ / "session")) << "its sockets are gone";
}

TEST_F(Session, AnswersNonsenseWithWhatIsWrong) {
  const std::pair<const char*, const char*> cases[] = {
      {"", "not a command"},
      {"nonsense", "not a command"},
      {"[]", "not a command"},
      {"{}", "not a command"},
      {R"({"do": 5})", "not a command"},
      {R"({"do": "dance"})", "unknown command 'dance'; try 'idlemeter tell --help'"},
      {R"({"do": "mark"})", "nothing is being recorded"},
      {R"({"do": "face", "name": "none"})", "no such face"},
      {R"({"do": "face", "name": 5})", "type must be string"},
      {R"({"do": "record", "what": "stop"})", "nothing is being recorded"},
      {R"({"do": "record", "for": -1})", "from 0.1 s to a day"},
      {R"({"do": "record", "after": 1e9})", "up to a day"},
      {R"({"do": "note", "note": "late"})", "nothing is being recorded or planned"},
      {R"({"do": "record", "for": "long"})", "type must be number"},
  };
  for (const auto& [command, says] : cases) {
    const json answer = tell(command);
    EXPECT_NE(answer.value("error", "").find(says), std::string::npos) << command << ' ' << answer;
    EXPECT_FALSE(answer.contains("ok")) << command;
  }
  EXPECT_EQ(tell(R"({"do": "state"})")["games"], json::array()) << "and goes on";
}

/// Sends everything at once; returns the answer up to so many lines, or until the other end closes.
std::string exchange(const std::filesystem::path& socket, const std::string& text, int lines) {
  const int client = connect_to(socket.c_str());
  (void)!::send(client, text.data(), text.size(), MSG_NOSIGNAL | MSG_DONTWAIT);
  std::string answer;
  for (const auto end = monotonic_now() + 5 * kSecond;
       monotonic_now() < end && std::count(answer.begin(), answer.end(), '\n') < lines;) {
    char buffer[512];
    const ssize_t got = ::recv(client, buffer, sizeof buffer, MSG_DONTWAIT);
    if (got == 0 || (got < 0 && errno == ECONNRESET)) break;
    if (got > 0) answer.append(buffer, static_cast<std::size_t>(got));
    if (got < 0) ::usleep(1'000);
  }
  ::close(client);
  return answer;
}

TEST_F(Session, AnotherPictureSizeLeavesTheFeedAlone) {
  stop();
  meter_.reset();
  eventfd_t stopped = 0;
  ASSERT_EQ(::eventfd_read(stop_, &stopped), 0);
  options_.settings.feed = FeedOptions{.socket = folder_ / "feed/feed.sock"};
  start(options_);
  const int client = connect_to((folder_ / "feed/feed.sock").c_str());
  ASSERT_GE(client, 0);
  link::ProbeEnd probe;
  play_until(probe, has_frames);
  play_until(
      probe, [](const json& s) { return s["games"][0]["picture"] == "1280x360"; }, 1280);
  ASSERT_EQ(::send(client, "depth 3\n", 8, MSG_NOSIGNAL), 8);
  char byte = 0;
  EXPECT_EQ(::recv(client, &byte, 1, MSG_DONTWAIT), -1) << "still connected";
  EXPECT_EQ(errno, EAGAIN);
  ::close(client);
}

TEST_F(Session, TakesCommandsInPiecesAndInCrowds) {
  const std::string two = exchange(control(), "{\"do\": \"hide\"}\n{\"do\": \"show\"}\n", 2);
  EXPECT_EQ(std::count(two.begin(), two.end(), '\n'), 2) << two;
  EXPECT_EQ(exchange(control(), std::string(1 << 20, 'x'), 1), "") << "a line without an end is cut off";
  std::vector<int> crowd;
  for (int i = 0; i < 200; ++i) crowd.push_back(connect_to(control().c_str()));
  for (int client : crowd) ::close(client);
  for (int i = 0; i < 50; ++i) {  // gone before it is answered
    const int client = connect_to(control().c_str());
    (void)!::send(client, "{\"do\": \"state\"}\n", 16, MSG_NOSIGNAL);
    ::close(client);
  }
  EXPECT_EQ(tell(R"({"do": "state"})")["ok"], true);
  const auto meters = running_meters(folder_ / "session");
  ASSERT_EQ(meters.size(), 1u);
  EXPECT_EQ(meters[0].pid, ::getpid());
  EXPECT_TRUE(running_meters(folder_ / "nowhere").empty());
  EXPECT_THROW((void)tell_meter(folder_ / "nowhere.control", "{}"), Error);
}

TEST_F(Session, SilentPeersAndClientsKeepNobodyOut) {
  std::vector<int> silent;
  for (int i = 0; i < 100; ++i) silent.push_back(connect_to(meter_->link_socket().c_str()));
  for (int i = 0; i < 40; ++i) {
    silent.push_back(connect_to(control().c_str()));
    ::usleep(1'000);
  }
  EXPECT_EQ(tell(R"({"do": "state"})")["games"], json::array()) << "a silent peer isn't a game";
  EXPECT_FALSE(meter_->has_games());
  link::ProbeEnd probe;
  EXPECT_EQ(play_until(probe, has_frames)["games"].size(), 1u);
  for (int peer : silent) ::close(peer);
}

/// A peer that greets like a probe, and then writes anything.
class Liar {
 public:
  explicit Liar(const std::filesystem::path& socket) : socket_(connect_to(socket.c_str())) {
    int fd = -1;
    memory_ = link::make_region("ring", sizeof(link::Ring), fd);
    new (memory_.data) link::Ring;
    EXPECT_TRUE(link::send_greeting(socket_, link::kRingMagic, fd));
    ::close(fd);
  }
  Liar(const Liar&) = delete;
  Liar& operator=(const Liar&) = delete;
  ~Liar() {
    ::close(socket_);
    link::unmap(memory_);
  }

  void present(Moment at, std::uint32_t width = 640) {
    auto* ring = static_cast<link::Ring*>(memory_.data);
    const std::uint32_t written = ring->written.load();
    link::FrameEntry& entry = ring->entries[written % link::kRingCapacity];
    entry.present = at;
    entry.gpu_work = at.time_since_epoch();
    entry.width = entry.height = width;
    ring->written.store(written + 1);
  }

 private:
  int socket_;
  link::Mapping memory_;
};

TEST_F(Session, GamesThatGreetAndNeverPresentMakeRoom) {
  std::list<Liar> idle;
  for (std::size_t i = 0; i < limits::kGames; ++i) {
    idle.emplace_back(meter_->link_socket());
    while (tell(R"({"do": "state"})")["games"].size() != idle.size()) ::usleep(1'000);
  }
  EXPECT_FALSE(meter_->has_games());
  link::ProbeEnd probe;
  const auto is_here = [](const json& state) {
    for (const json& game : state["games"]) {
      if (game.value("frames", 0) > 20) return true;
    }
    return false;
  };
  play_until(probe, is_here);
}

TEST_F(Session, ImpossibleTimesAreCounted) {
  constexpr Moment kMost = Moment::max(), kLeast = Moment::min();
  Liar liar(meter_->link_socket());
  const Moment start = monotonic_now();
  for (Moment at : {kMost, kLeast, Moment{}, start + 3600 * kSecond, start, start + kMillisecond, start - 9 * kSecond})
    liar.present(at, 5'000'000);
  json state;
  do state = tell(R"({"do": "state"})");
  while (state["games"].empty() || state["games"][0].value("frames", 0) < 7);
  EXPECT_EQ(state["games"][0]["refused"], 5) << state;
  EXPECT_EQ(state["games"][0]["picture"], "") << "nor is a picture so large";
}

TEST_F(Session, ARunHoldsEveryIntervalFromTheFirstPresentToTheLast) {
  meter_->record({});
  EXPECT_EQ(tell(R"({"do": "state"})")["recording"]["state"], "planned");
  std::uint64_t presents = 0;
  {
    link::ProbeEnd probe;
    for (; presents < 60; ++presents) {
      link::FrameEntry frame;
      frame.present = monotonic_now();
      frame.width = frame.height = 360;
      probe.add(frame, {link::Api::vulkan, 1, 3});
      ::usleep(500);
    }
    while (tell(R"({"do": "state"})")["games"].empty()) ::usleep(1'000);
    while (tell(R"({"do": "state"})")["games"][0]["frames"] != presents) ::usleep(1'000);
    probe.forget();
  }
  stop();
  meter_->end_recordings();
  const Store store(folder_ / "runs.db", Store::Mode::existing);
  EXPECT_EQ(store.run(1).frames, presents - 1);
  EXPECT_EQ(store.frames(1).front().at.time_since_epoch(), store.frames(1).front().interval)
      << "it begins with the first present";
  EXPECT_EQ(meter_->reports()[0].summary.frames, presents - 1);
}

TEST_F(Session, AFailedRecordingIsReportedEverywhereAndTheGameGoesOn) {
  restart([this](MeterOptions& options) { options.store = folder_.path(); });
  link::ProbeEnd probe;
  play_until(probe, has_frames);
  const std::uint32_t before = probe.picture().slot.height;
  const std::string refused = tell(R"({"do": "record", "what": "start"})").value("error", "");
  EXPECT_NE(refused.find("is a folder, not a store"), std::string::npos) << refused;
  const json state = play_until(probe, [&](const json&) { return probe.picture().slot.height > before + 10; });
  EXPECT_NE(state.value("recording_problem", "").find("is a folder"), std::string::npos) << state;
  EXPECT_FALSE(state.contains("recording"));
  ASSERT_EQ(meter_->recording_problems().size(), 1u);
  EXPECT_NE(log().find("not recorded: "), std::string::npos);
}

TEST_F(Session, GivesItsGamesToAnotherMeterIfAsked) {
  EXPECT_NE(tell(R"({"do": "hand over"})").value("error", "").find("no game is here"), std::string::npos);
  link::ProbeEnd probe;
  play_until(probe, has_frames);
  const std::string socket = meter_->link_socket().filename();
  EXPECT_EQ(tell(R"({"do": "hand over"})")["ok"], true);
  EXPECT_EQ(tell(R"({"do": "state"})")["games"], json::array());
  const int listening = listen_privately(folder_ / ("session/" + socket));
  for (int i = 0; i < 5'000; ++i) {
    link::FrameEntry frame;
    frame.present = monotonic_now();
    probe.add(frame, {link::Api::vulkan, 1, 3});
    ::usleep(1'000);
    if (const int peer = ::accept4(listening, nullptr, nullptr, SOCK_CLOEXEC | SOCK_NONBLOCK); peer >= 0) {
      ::close(peer);
      ::close(listening);
      return;
    }
  }
  ADD_FAILURE() << "the game has not reattached";
}

TEST_F(Session, AnotherMeterCannotTakeItsSockets) {
  MeterOptions same;
  same.folder = folder_ / "session";
  EXPECT_THROW(Meter{same}, Error);
  EXPECT_EQ(tell(R"({"do": "state"})")["ok"], true);
}

TEST(Process, IsKnownByItsNumber) {
  const testing::Folder folder;
  int ready[2];
  ASSERT_EQ(::pipe(ready), 0);
  const pid_t child = ::fork();
  if (child == 0) {
    ::setpgid(0, 0);
    ::dup2(ready[1], 1);
    ::execl("/usr/bin/env", "env", "IDLEMETER_TEST_MARK=seaweed", "sh", "-c", "echo; sleep 60; true", nullptr);
    ::_exit(127);
  }
  char byte = 0;
  ASSERT_EQ(::read(ready[0], &byte, 1), 1);
  EXPECT_TRUE(is_running(child));
  EXPECT_EQ(name_of_process(child), "sh");
  EXPECT_EQ(executable_of(child), std::filesystem::canonical("/bin/sh"));
  EXPECT_EQ(variable_of(child, "IDLEMETER_TEST_MARK"), "seaweed");
  EXPECT_EQ(variable_of(child, "IDLEMETER_TEST"), "") << "the whole name";
  EXPECT_TRUE(is_anywhere("IDLEMETER_TEST_MARK", "seaweed"));
  EXPECT_FALSE(is_anywhere("IDLEMETER_TEST_MARK", "kelp"));
  EXPECT_TRUE(descends_from(child, ::getpid()));
  EXPECT_TRUE(descends_from(child, child));
  EXPECT_FALSE(descends_from(::getpid(), child));
  ::kill(-child, SIGKILL);
  ::waitpid(child, nullptr, 0);
  EXPECT_FALSE(is_running(child));
  EXPECT_EQ(name_of_process(child), "process " + std::to_string(child));
  EXPECT_EQ(executable_of(child), "");
  EXPECT_EQ(variable_of(child, "PATH"), "");
  ::close(ready[0]);
  ::close(ready[1]);
}

}  // namespace
}  // namespace idlemeter
