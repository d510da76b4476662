// Cues for real: a sound server whose sink is heard, a session bus with a listener, and a stand-in speech dispatcher.
#include "meter/cues/cues.hpp"

#include <gtest/gtest.h>
#include <poll.h>
#include <pulse/simple.h>
#include <signal.h>
#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <filesystem>
#include <numbers>
#include <thread>

#include "a_bus.hpp"
#include "base/local_socket.hpp"
#include "base/private_socket.hpp"
#include "folder.hpp"
#include "idlemeter/base/time.hpp"
#include "meter/cues/tone.hpp"

namespace idlemeter::meter {
namespace {

using namespace idlemeter::testing;
using Kind = Cue::Kind;

constexpr double kLow = 294, kMiddle = 587, kHigh = 880;

class ACue : public ::testing::Test {
 protected:
  ACue() {
    std::filesystem::create_directories(folder_ / "home");
    ::setenv("HOME", (folder_ / "home").c_str(), 1);
    ::setenv("XDG_RUNTIME_DIR", (folder_ / "home").c_str(), 1);
    ::setenv("PULSE_SERVER", ("unix:" + socket("sound")).c_str(), 1);
    ::setenv("DBUS_SESSION_BUS_ADDRESS", ("unix:path=" + socket("bus")).c_str(), 1);
    ::setenv("SPEECHD_ADDRESS", ("unix_socket:" + socket("speech")).c_str(), 1);
  }

  [[nodiscard]] std::string socket(const char* name) const { return (folder_ / name).string(); }

  static CueChoices only(CueWay way) { return {{way}, {way}, {way}, {way}}; }

  idlemeter::testing::Folder folder_;
};

/// How much of a sine is in the samples (Goertzel 1958): about its amplitude, 0 to 1.
double part_of(double hertz, const std::int16_t* samples, std::size_t count) {
  const double turn = 2 * std::cos(2 * std::numbers::pi * hertz / kToneRate);
  double one = 0, two = 0;
  for (std::size_t i = 0; i < count; ++i) {
    const double now = samples[i] / 32'767.0 + turn * one - two;
    two = std::exchange(one, now);
  }
  return 2 * std::sqrt(std::max(0.0, one * one + two * two - turn * one * two)) / static_cast<double>(count);
}

/// The notes that are heard, one after the other.
std::vector<double> notes_in(const std::vector<std::int16_t>& samples) {
  constexpr std::size_t kStep = kToneRate / 50;
  std::vector<double> notes;
  double last = 0;
  for (std::size_t at = 0; at + kStep <= samples.size(); at += kStep) {
    double loudest = 0;
    for (const double note : {kLow, kMiddle, kHigh}) {
      const double other = loudest == 0 ? 0.1 : part_of(loudest, &samples[at], kStep);
      if (part_of(note, &samples[at], kStep) > other) loudest = note;
    }
    if (loudest != 0 && loudest != last) notes.push_back(loudest);
    last = loudest;
  }
  return notes;
}

/// A busy sound server may drop a part of a note, which is heard as two then.
std::vector<double> without_repeats(std::vector<double> notes) {
  notes.erase(std::unique(notes.begin(), notes.end()), notes.end());
  return notes;
}

struct Sound {
  Kind kind;
  std::vector<double> notes;
};

const Sound kSounds[] = {{Kind::start, {kMiddle, kHigh}},
                         {Kind::end, {kHigh, kMiddle}},
                         {Kind::mark, {kHigh}},
                         {Kind::failure, {kLow, kLow, kLow}}};

TEST_F(ACue, SoundsDifferentFromTheOthersAndFadesInAndOut) {
  for (const Sound& sound : kSounds) {
    const auto samples = tone_of(sound.kind);
    EXPECT_EQ(notes_in(samples), sound.notes) << static_cast<int>(sound.kind);
    EXPECT_LT(std::abs(samples.front()), 100);
    EXPECT_LT(std::abs(samples.back()), 500);
    EXPECT_LT(samples.size(), kToneRate * 6 / 10) << "short enough for the game's own sounds";
  }
}

TEST_F(ACue, IsHeardFromTheSoundServerWhenItIsGiven) {
  const Server server({"pulseaudio", "-n", "--exit-idle-time=-1", "--daemonize=no", "--use-pid-file=no",
                       "--log-level=0", "-L", "module-null-sink sink_name=ears rate=48000", "-L",
                       "module-native-protocol-unix auth-anonymous=1 socket=" + socket("sound")});
  ASSERT_TRUE(wait_for([&] { return std::filesystem::exists(socket("sound")); }));
  const pa_sample_spec format{PA_SAMPLE_S16NE, kToneRate, 1};
  const pa_buffer_attr buffer{~0u, ~0u, ~0u, ~0u, kToneRate / 50 * 2};
  int error = 0;
  pa_simple* ears = nullptr;
  ASSERT_TRUE(wait_for([&] {
    ears = pa_simple_new(nullptr, "ears", PA_STREAM_RECORD, "ears.monitor", "ears", &format, nullptr, &buffer, &error);
    return ears != nullptr;
  })) << error;
  const auto listen = [&] {  // for half a second
    std::vector<std::int16_t> samples(kToneRate / 2);
    EXPECT_GE(pa_simple_read(ears, samples.data(), samples.size() * sizeof(samples[0]), &error), 0) << error;
    return samples;
  };
  Cues cues(only(CueWay::tone));
  for (const Sound& sound : kSounds) {
    EXPECT_TRUE(notes_in(listen()).empty()) << "not before";
    cues.give({sound.kind, "", ""});
    std::vector<std::int16_t> heard;
    for (int i = 0; i < 60; ++i) {
      const std::vector<std::int16_t> part = listen();
      heard.insert(heard.end(), part.begin(), part.end());
      if (notes_in(part).empty() && !notes_in(heard).empty()) break;  // it is over
    }
    EXPECT_EQ(without_repeats(notes_in(heard)), without_repeats(sound.notes)) << static_cast<int>(sound.kind);
  }
  EXPECT_TRUE(cues.problems().empty());
  pa_simple_free(ears);
}

TEST_F(ACue, IsShownByTheDesktop) {
  const std::string address = "unix:path=" + socket("bus");
  const Server bus({"dbus-daemon", "--session", "--nofork", "--nopidfile", "--address=" + address});
  ASSERT_TRUE(wait_for([&] { return std::filesystem::exists(socket("bus")); }));
  std::atomic<bool> has_shown = false;
  std::string program, title, body;  // once it has shown something
  guchar urgency = 0;
  const Service desktop(
      address, "org.freedesktop.Notifications", "/org/freedesktop/Notifications",
      "<node><interface name='org.freedesktop.Notifications'><method name='Notify'>"
      "<arg type='s' direction='in'/><arg type='u' direction='in'/><arg type='s' direction='in'/>"
      "<arg type='s' direction='in'/><arg type='s' direction='in'/><arg type='as' direction='in'/>"
      "<arg type='a{sv}' direction='in'/><arg type='i' direction='in'/><arg type='u' direction='out'/>"
      "</method></interface></node>",
      [&](const std::string&, GVariant* words, GDBusMethodInvocation* call) {
        const char *of = nullptr, *heading = nullptr, *text = nullptr;
        g_variant_get_child(words, 0, "&s", &of);
        g_variant_get_child(words, 3, "&s", &heading);
        g_variant_get_child(words, 4, "&s", &text);
        GVariant* hints = g_variant_get_child_value(words, 6);
        g_variant_lookup(hints, "urgency", "y", &urgency);
        g_variant_unref(hints);
        program = of;
        title = heading;
        body = text;
        g_dbus_method_invocation_return_value(call, g_variant_new("(u)", 1u));
        has_shown = true;
      });
  ASSERT_TRUE(wait_for([&] { return desktop.is_there.load(); }));
  EXPECT_EQ(problem_with(CueWay::notification), "");
  Cues cues(only(CueWay::notification));
  cues.give({Kind::failure, "not recorded", "runs.db: the disk is <full>"});
  ASSERT_TRUE(wait_for([&] { return has_shown.load(); }));
  EXPECT_EQ(program, "Idle Meter");
  EXPECT_EQ(title, "Not recorded");
  EXPECT_EQ(body, "runs.db: the disk is &lt;full&gt;") << "desktops read markup";
  EXPECT_EQ(urgency, 2);
  EXPECT_TRUE(cues.problems().empty());
}

/// Answers as the speech dispatcher does (Speech Synthesis Interface Protocol); returns what it was told to say.
std::string said_to(int listening) {
  pollfd comes{listening, POLLIN, 0};
  ::poll(&comes, 1, 10'000);
  const int client = ::accept(listening, nullptr, nullptr);
  std::string line, said;
  bool speaking = false;
  const auto answer = [&](std::string_view text) { (void)!::write(client, text.data(), text.size()); };
  for (char c = 0; ::read(client, &c, 1) == 1;) {
    line += c;
    if (!line.ends_with("\r\n")) continue;
    const std::string text = line.substr(0, line.size() - 2);
    line.clear();
    if (speaking && text != ".") {
      said += text;
    } else if (speaking) {
      speaking = false;
      answer("225-1\r\n225 OK MESSAGE QUEUED\r\n");
    } else if (text == "speak") {
      speaking = true;
      answer("230 OK RECEIVING DATA\r\n");
    } else if (text == "quit") {
      answer("231 HAPPY HACKING\r\n");
    } else {
      answer("208 OK\r\n");
    }
  }
  ::close(client);
  return said;
}

TEST_F(ACue, IsSpoken) {
  const int listening = base::listen_privately(socket("speech"));
  std::string said;
  std::thread dispatcher([&] { said = said_to(listening); });
  Cues cues(only(CueWay::speech));
  cues.give({Kind::start, "recording 2 of 5", "Tidepool Rally"});
  dispatcher.join();
  ::close(listening);
  EXPECT_EQ(said, "recording 2 of 5");
  EXPECT_TRUE(cues.problems().empty());
}

TEST_F(ACue, IsSilentWithoutServersAndSaysSoOnce) {
  Cues cues({{CueWay::tone, CueWay::notification, CueWay::speech}, {}, {CueWay::tone}, {}});
  std::vector<std::string> problems;
  for (int i = 0; i < 3; ++i) cues.give({Kind::start, "recording", ""});
  EXPECT_TRUE(wait_for([&] {
    for (std::string& problem : cues.problems()) problems.push_back(std::move(problem));
    return problems.size() >= 3;
  }));
  cues.give({Kind::mark, "mark 1", ""});
  std::this_thread::sleep_for(100 * kMillisecond);
  EXPECT_TRUE(cues.problems().empty());
  std::sort(problems.begin(), problems.end());
  ASSERT_EQ(problems.size(), 3u);
  EXPECT_TRUE(problems[0].starts_with("no notification for recordings: the session bus can't be reached"))
      << problems[0];
  EXPECT_TRUE(problems[1].starts_with("no speech for recordings: no speech dispatcher answers")) << problems[1];
  EXPECT_TRUE(problems[2].starts_with("no tone for recordings: no sound server can be used")) << problems[2];
}

/// They accept and never answer.
TEST_F(ACue, WaitsForNoServerThatHangs) {
  std::vector<int> listening;
  for (const char* name : {"sound", "bus", "speech"}) listening.push_back(base::listen_privately(socket(name)));
  {
    Cues cues({{CueWay::tone, CueWay::notification, CueWay::speech}, {}, {}, {}});
    for (int i = 0; i < 1'000; ++i) cues.give({Kind::start, "recording", ""});
    EXPECT_TRUE(cues.problems().empty());
  }  // the end doesn't wait for them for good
  for (const int one : listening) ::close(one);
}

}  // namespace
}  // namespace idlemeter::meter
