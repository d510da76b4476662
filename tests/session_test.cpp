// A meter with games that present from within the test, over the real link, without a display.
#include <fcntl.h>
#include <linux/input.h>
#include <termios.h>

#include "a_session.hpp"
#include "idlemeter/settings/settings.hpp"

namespace idlemeter {
namespace {

using namespace testing;

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

/// An input device: events that are written can be read from `path`.
class Pad {
 public:
  Pad() : end_(::posix_openpt(O_RDWR | O_NOCTTY)) {
    EXPECT_EQ(::grantpt(end_) | ::unlockpt(end_), 0);
    path = ::ptsname(end_);
    const int device = ::open(path.c_str(), O_RDWR | O_NOCTTY);
    termios raw{};
    ::tcgetattr(device, &raw);
    ::cfmakeraw(&raw);
    EXPECT_EQ(::tcsetattr(device, TCSANOW, &raw), 0);
    ::close(device);
  }
  Pad(const Pad&) = delete;
  Pad& operator=(const Pad&) = delete;
  ~Pad() { ::close(end_); }

  void put(std::uint16_t code, std::int32_t value, std::uint16_t type = EV_KEY) const {
    input_event event{};
    event.type = type;
    event.code = code;
    event.value = value;
    EXPECT_EQ(::write(end_, &event, sizeof event), static_cast<ssize_t>(sizeof event));
  }

  std::string path;

 private:
  int end_;
};

TEST_F(Session, ObeysButtonsOfTheDevicesThatAreNamed) {
  const Pad pad;
  const std::string device = "[[button]]\ndevice = \"" + pad.path + "\"\npress = ";
  restart([&](MeterOptions& options) {
    options.settings = *parse_settings(device + "\"BTN_MODE\"\n" + device + "\"BTN_MODE+BTN_WEST\"\ndoes = \"face\"\n" +
                                       "[[button]]\ndevice = \"/dev/input/nowhere\"\npress = \"BTN_MODE\"\n")
                            .settings;
  });
  link::ProbeEnd probe;
  play_until(probe, has_frames);
  const auto is = [&](bool visible, const char* face) {
    play_until(probe, [&](const json& s) { return s["visible"] == visible && s["games"][0]["face"] == face; });
  };
  pad.put(BTN_WEST, 1);
  pad.put(BTN_WEST, 0);
  pad.put(BTN_MODE, 1);
  is(false, "rate");
  pad.put(BTN_MODE, 2);  // held on
  pad.put(BTN_WEST, 1);
  is(false, "trace");
  for (const std::uint16_t code : {BTN_WEST, BTN_MODE}) pad.put(code, 0);
  pad.put(BTN_WEST, 1);
  pad.put(SYN_DROPPED, 0, EV_SYN);  // the state of all buttons is unknown
  pad.put(BTN_MODE, 1);
  is(true, "trace");
  EXPECT_NE(log().find("no buttons of /dev/input/nowhere: No such file"), std::string::npos) << log();
}

TEST_F(Session, SendsFramesAndValuesToWhoWatches) {
  link::ProbeEnd probe;
  play_until(probe, has_frames);
  MeterWatch watch(control(), {.every = 20 * kMillisecond, .frames = true, .readings = {"cpu.load", "frame.rate"}});
  MeterUpdate last;
  std::vector<FrameRecord> frames;
  play_until(probe, [&](const json&) {
    while (auto update = watch.next(Nanoseconds{})) {
      for (const auto& game : update->games) frames.insert(frames.end(), game.frames.begin(), game.frames.end());
      last = std::move(*update);
    }
    return frames.size() > 50;
  });
  EXPECT_EQ(last.state.games.at(0).pid, ::getpid());
  EXPECT_EQ(frames[5].gpu_work, kMillisecond);
  EXPECT_TRUE(last.games.at(0).values.contains("frame.rate"));
  EXPECT_TRUE(last.values.contains("cpu.load"));
  EXPECT_TRUE(tell(R"({"do": "watch", "every": 0.001})").contains("error"));
  stop();
  meter_.reset();
  while (watch.next(10 * kSecond)) continue;
  EXPECT_TRUE(watch.is_over());
  EXPECT_THROW(MeterWatch(control(), {}), Error);
}

TEST(MeterUpdates, AreReadAsTheyWereWrittenOrRefused) {
  MeterUpdate update{.at = Moment{5 * kSecond}};
  update.state = {.pid = 7, .visible = true, .games = {{.pid = 8, .name = "Tidepool \xff Rally"}}};
  update.games = {{.frames = {{Moment{kSecond}, kMillisecond}, {Moment{kSecond}, kMillisecond, kMicrosecond}},
                   .frames_skipped = 3,
                   .values = {{"frame.rate", 90.5}, {"game.name", std::string("a\nb")}}}};
  update.values = {{"gpu.load", Missing{"asleep"}}};
  const std::string text = to_json(update);
  EXPECT_EQ(text.find('\n'), std::string::npos);
  const MeterUpdate read = update_from_json(text);
  EXPECT_EQ(read.games[0].frames, update.games[0].frames);
  EXPECT_EQ(read.games[0].frames_skipped, 3u);
  EXPECT_EQ(read.games[0].values, update.games[0].values);
  EXPECT_EQ(read.values, update.values);
  EXPECT_EQ(to_json(read), text);
  for (const char* wrong :
       {"", "[]", "{}", R"({"at_ns": 1})", R"({"at_ns": 1, "games": 5})", R"({"at_ns": "x", "games": []})",
        R"({"at_ns": 1, "games": [], "values": {"a": []}})", R"({"at_ns": 1, "games": [{"new_frames_ns": [[1]]}]})",
        R"({"at_ns": 1, "games": [{"new_frames_ns": [["a", 2, null]]}]})", R"({"error": {}})"})
    EXPECT_THROW((void)update_from_json(wrong), Error) << wrong;
  try {
    (void)update_from_json(R"({"error": "8 others watch", "code": "refused"})");
    ADD_FAILURE() << "a refusal is no update";
  } catch (const Error& error) {
    EXPECT_EQ(error.code(), Error::Code::refused);
  }
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
  play_until(probe, [](const json& s) { return !s.contains("recording"); });
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

TEST_F(Session, AnotherPictureSizeLeavesTheFeedAlone) {
  restart([&](MeterOptions& options) { options.settings.feed = FeedOptions{.socket = folder_ / "feed/feed.sock"}; });
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
  EXPECT_NE(tell(R"({"do": "hand over"})").value("error", "").find("no game is connected"), std::string::npos);
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

}  // namespace
}  // namespace idlemeter
