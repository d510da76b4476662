// Real programs on a real display, with the meter beside them. Run within xvfb-run.
#include <fmt/format.h>

#include <algorithm>
#include <sstream>

#include "idlemeter/base/time.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"
#include "play_session.hpp"

namespace idlemeter {
namespace {

using namespace testing;

TEST(Play, CountsWhatProgramsPresent) {
  const Session session;
  const struct {
    std::string game;
    const char* seen;
  } cases[] = {
      {"glmark2 -b build:nframes=200:duration=100", ": 200 frames"},
      {"glmark2-es2 -b build:nframes=200:duration=100", ": 200 frames"},
      {"sh -c 'glmark2 -b build:nframes=60:duration=100 >/dev/null; true'", ": 60 frames"},
      {std::string(kStill) + " --frames 150", "still_game, OpenGL "},
      {std::string(kStill) + " --frames 100 --api core", ": 100 frames"},
      {std::string(kStill) + " --frames 100 --api es2", "OpenGL ES "},
      {std::string(kStill) + " --frames 100 --api es3", ": 100 frames"},
      {"env SDL_VIDEO_X11_FORCE_EGL=1 " + std::string(kStill) + " --frames 100", ": 100 frames"},
      {"env SDL_VIDEO_X11_FORCE_EGL=1 " + std::string(kStill) + " --frames 100 --swap eglSwapBuffersWithDamageEXT",
       ": 100 frames"},
      {"env SDL_VIDEO_X11_FORCE_EGL=1 " + std::string(kStill) + " --frames 100 --swap eglSwapBuffersWithDamageKHR",
       ": 100 frames"},
      {std::string(kStill) + " --frames 100 --swap glXSwapBuffersMscOML", ": 100 frames"},
      {std::string(RALLY) + " --frames 150 --size 320x180", "tidepool_rally, OpenGL 4.5, 320x180: 150 frames"},
      {"sh -c '(sleep 1; exec " + std::string(kStill) + " --frames 150) &'",
       ": 150 frames"},  // a launcher that is over
      {"vkcube --c 200", "vkcube, Vulkan 1.3, 500x500: 200 frames"},
      {std::string(kStillVulkan) + " --frames 100 --submit2 --srgb", "still_vulkan, Vulkan 1.3, 320x240: 100 frames"},
      {std::string(kStillVulkan) + " --frames 100 --windows 2", ": 200 frames"},
  };
  for (const auto& c : cases) {
    const Outcome outcome = session.play(c.game);
    EXPECT_NE(line_with(outcome.text, "idlemeter: ").find(c.seen), std::string::npos) << c.game << '\n' << outcome.text;
  }
}

TEST(Play, FindsEveryRouteToASwap) {
  const Session session;
  const std::string tests = "/usr/libexec/installed-tests/SDL2/";
  const struct {
    std::string game;
    const char* name;
    const char* api;
  } cases[] = {{"glxgears", "glxgears.x86_64-linux-gnu", "OpenGL 4"},  // what Debian's links lead to
               {"es2gears_x11", "es2gears_x11.x86_64-linux-gnu", "OpenGL ES 3"},
               {tests + "testgl2", "testgl2", "OpenGL 4"},
               {"env SDL_VIDEO_X11_FORCE_EGL=1 " + tests + "testgl2", "testgl2", "OpenGL 4"},
               {tests + "testvulkan", "testvulkan", "Vulkan 1"}};
  for (const auto& c : cases) {
    Playing playing(session, c.game);
    const json game = session.wait_for(has_frames)["games"][0];
    EXPECT_EQ(game.value("name", ""), c.name);
    EXPECT_EQ(game.value("api", "").find(c.api), 0u) << c.game << ' ' << game;
  }
}

TEST(Play, AgreesWithAProgramThatMeasuresItself) {
  const Session session;
  const Outcome outcome = session.play("glmark2 -b build:nframes=600:duration=100");
  double own = 0, seen = 0;
  const std::string line = line_with(outcome.text, "FrameTime"), ours = line_with(outcome.text, "idlemeter:");
  ASSERT_EQ(std::sscanf(line.c_str() + line.find("FrameTime"), "FrameTime: %lf", &own), 1) << outcome.text;
  ASSERT_EQ(std::sscanf(ours.c_str() + ours.find("average"), "average %lf", &seen), 1) << outcome.text;
  EXPECT_NEAR(seen * own / 1000, 1, 0.05);  // its own span begins and ends elsewhere
}

TEST(Play, LeavesTheGamesStateAndItsErrorsAlone) {
  const Session session;
  const struct {
    const char* environment;
    const char* api;
    const char* seen;
  } cases[] = {{"", "compat", "OpenGL 4"},
               {"env MESA_GL_VERSION_OVERRIDE=2.1 ", "old", "OpenGL 2.1"},
               {"", "core", "OpenGL 4"},
               {"env MESA_GLES_VERSION_OVERRIDE=2.0 ", "es2", "OpenGL ES 2.0"},
               {"", "es3", "OpenGL ES 3"}};
  for (const auto& [environment, api, seen] : cases) {
    for (const char* way : {"", " --odd"}) {
      const Outcome outcome = session.play(
          std::string(environment) + kStill + " --pause 2 --frames 100 --api " + api + way, "--face everything");
      EXPECT_NE(outcome.text.find(seen), std::string::npos) << outcome.text;
      EXPECT_EQ(outcome.status, 0) << api << way << '\n' << outcome.text;
      EXPECT_NE(outcome.text.find("presented 100\nright"), std::string::npos) << api << way << '\n' << outcome.text;
    }
  }
}

TEST(Play, PassesOnStatusSignalsAndOutput) {
  const Session session;
  EXPECT_EQ(session.play("sh -c 'exit 7'").status, 7);
  EXPECT_EQ(session.play("sh -c 'kill -9 $$'").status, 128 + SIGKILL);
  EXPECT_EQ(session.play("sh -c 'echo out; read line; echo got $line' < /dev/null", "--quiet").text, "out\ngot\n");
  EXPECT_EQ(session.run("echo hello | '" IDLEMETER_COMMAND "' play --quiet -- cat").text, "hello\n");
  EXPECT_EQ(session.play("no-such-game").status, 127);
  EXPECT_EQ(session.play("").status, 2);
  EXPECT_EQ(session.play("true", "--face no-such-face").status, 1);
  Playing playing(session, "sh -c 'trap \"echo asked; exit 5\" TERM; echo ready; while :; do sleep 0.05; done'");
  for (int i = 0; i < 100 && testing::text_of(session.folder / "game.txt").find("ready") == std::string::npos; ++i)
    std::this_thread::sleep_for(std::chrono::milliseconds(50));
  ::kill(playing.meter(), SIGTERM);
  EXPECT_EQ(WEXITSTATUS(playing.wait()), 5);
  EXPECT_NE(testing::text_of(session.folder / "game.txt").find("asked"), std::string::npos);
}

/// Resizes the window under that point six hundred times in a minute.
constexpr const char* kResize =
    "eval $(xdotool mousemove 200 200 getmouselocation --shell); for i in $(seq 600); do xdotool windowsize $WINDOW "
    "$((300 + i * 37 % 400)) $((250 + i * 53 % 300)); sleep 0.1; done";

/// What the game and the validation layer wrote, but for the game's own race: between its question for the window's
/// size and its new swapchain the window may change again, and every program under X then asks for a size of the past.
std::string written_of(const Session& session) {
  std::istringstream lines(testing::text_of(session.folder / "game.txt"));
  std::string text;
  for (std::string line; std::getline(lines, line);)
    if (line.find("VUID-VkSwapchainCreateInfoKHR-imageExtent-01274") == std::string::npos) text += line + '\n';
  return text;
}

TEST(Play, VulkanIsCleanUnderValidationForAMinuteWhileTheWindowChanges) {
  const Session session;
  {
    Playing playing(session, std::string(kValidated) + "VK_LOADER_DEBUG=layer vkcube", "--face benchmark");
    session.wait_for(has_frames);
    EXPECT_EQ(session.run(kResize).status, 0);
    session.wait_for([](const json& state) { return state["games"][0].value("picture", "") != "500x500"; });
  }
  const std::string text = written_of(session);
  for (const char* word : {"VUID", "SYNC-", "Validation Error", "Validation Warning", "terminate called", "Assertion"})
    EXPECT_EQ(text.find(word), std::string::npos) << text.substr(text.find(word), 1'000);
  const std::size_t stack = text.find("vkCreateDevice layer callstack"), ours = text.find("IDLEMETER", stack),
                    validation = text.find("KHRONOS_validation", stack);
  EXPECT_LT(ours, validation) << "the validation layer sees what ours calls";
  EXPECT_NE(validation, std::string::npos);
}

TEST(Play, AGameMayHaveTheLibraryInside) {
  const Session session;
  session.folder.file("boxes.toml",
                      "[[pin]]\nat = [90, 90]\nbox = [180, 90]\ncolor = \"#ff0000\"\nopacity = 1\nradius = 0\n");
  const Outcome outcome = session.play(std::string(RALLY) + " --linked --frames 300 --size 320x180", "--linked");
  EXPECT_NE(outcome.text.find(": 300 frames"), std::string::npos) << outcome.text;
  Playing playing(session, std::string(RALLY) + " --linked --size 320x240", "--linked --face boxes.toml");
  session.wait_for(has_frames);
  const Image screen = session.screen_where([](const Image& image) { return image.at(30, 30) == 0xffff0000; });
  EXPECT_EQ(screen.at(30, 30), 0xffff0000);
  EXPECT_NE(screen.at(70, 30), 0xffff0000);
}

TEST(Play, ObeysAndRecords) {
  const Session session;
  session.folder.file("boxes.toml", kBoxes);
  Playing playing(session, std::string(kStill) + " --pause 5 --frames 100000", "--face boxes.toml");
  session.wait_for(has_frames);
  EXPECT_EQ(session.tell("hide").status, 0);
  expect_nothing(session, "hidden");
  EXPECT_EQ(session.tell("toggle").status, 0);
  EXPECT_EQ(session.tell("face no-such-face").status, 1);
  EXPECT_EQ(session.tell("mark").status, 1);
  EXPECT_EQ(session.tell("record stop").status, 1);
  EXPECT_EQ(session.tell("record start --for 1.5").status, 0);
  EXPECT_EQ(session.tell("record start").status, 1);
  EXPECT_EQ(session.tell("mark").status, 0);
  session.wait_for([](const json& state) { return !state.contains("recording"); });
  EXPECT_EQ(session.tell("state --pid " + std::to_string(playing.meter())).status, 0);
  EXPECT_EQ(session.tell("state --pid 1").status, 1);
  const std::string states = session.tell("state --every 100ms --count 3 --json").text;
  EXPECT_EQ(std::count(states.begin(), states.end(), '\n'), 3) << states;
  expect_boxes(session, "shown again");
  const Store store(session.folder / ".local/share/idlemeter/runs.db", Store::Mode::existing);
  ASSERT_EQ(store.runs().size(), 1u);
  EXPECT_EQ(store.runs()[0].details.game, "still_game");
  EXPECT_TRUE(store.runs()[0].finished);
  EXPECT_NEAR(in_seconds(store.runs()[0].length), 1.5, 0.3);
  EXPECT_EQ(store.runs()[0].details.facts.at("Picture"), "320x240");
  EXPECT_NE(store.runs()[0].details.facts.at("Processor"), "");
  bool marked = false;
  for (const RunSeries& series : store.series(1))
    marked |= series.info.id == "recording.marks" && number(series.values.back()) == 1;
  EXPECT_TRUE(marked);
}

/// How many calls of the system a trace has in which the probe is right above the C library, and how many lines name
/// the probe at all: the game's swap goes through it.
std::pair<int, int> calls_of_probe(const std::string& trace) {
  int own = 0, named = 0, depth = 0;
  std::istringstream lines(trace);
  for (std::string line; std::getline(lines, line);) {
    if (!line.starts_with(" >")) {
      depth = 0;
      continue;
    }
    if (line.find("/libc.so") == std::string::npos) ++depth;
    if (line.find("libidlemeter-probe") == std::string::npos) continue;
    ++named;
    own += depth == 1 ? 1 : 0;
  }
  return {own, named};
}

TEST(Play, MakesNoSystemCallForAFrame) {
  const Session session;
  session.folder.file("boxes.toml", kBoxes);
  for (const char* game : {kStill, kStillVulkan}) {
    Playing playing(session, std::string(game) + " --pause 2 --frames 100000", "--face boxes.toml");
    const std::string pid = std::to_string(session.wait_for(has_frames)["games"][0].value("pid", 0));
    const Outcome outcome = session.run("timeout -s INT 3 strace -f -k -o trace.txt -p " + pid);
    if (outcome.text.find("not permitted") != std::string::npos) GTEST_SKIP() << outcome.text;
    const auto [own, named] = calls_of_probe(text_of(session.folder / "trace.txt"));
    EXPECT_EQ(own, 0) << game << '\n' << text_of(session.folder / "trace.txt").substr(0, 4'000);
    EXPECT_GT(named, 10) << game << ": the trace says who calls\n" << outcome.text;
  }
}

/// A software rasteriser reports it ten times a second, if asked to.
TEST(Play, KnowsHowLongTheGpuWorksOnFrames) {
  const Session session;
  const std::pair<const char*, const char*> cases[] = {
      {RALLY " --seconds 1.5 --size 320x180", ""}, {"timeout 1.5 vkcube", ""}, {"timeout 1.5 vkcube", "--hidden"}};
  session.folder.file("timed.toml", "gpu_time = \"on\"\n");
  (void)session.play("timeout 1 vkcube", "--record --store work.db");
  (void)session.play(RALLY " --seconds 0.5 --size 320x180", "--record --store work.db");
  for (std::int64_t untimed : {1, 2}) {
    for (const FrameRecord& frame : Store(session.folder / "work.db", Store::Mode::existing).frames(untimed))
      ASSERT_EQ(frame.gpu_work, kUnknownTime) << "usually it is left alone";
  }
  std::int64_t run = 2;
  for (const auto& [game, options] : cases) {
    const std::string record = " --record --store work.db --settings timed.toml";
    (void)session.play(game, options + record);
    const Store store(session.folder / "work.db", Store::Mode::existing);
    const auto series = store.series(run + 1);
    const auto latency =
        std::find_if(series.begin(), series.end(), [](const RunSeries& one) { return one.info.id == "frame.latency"; });
    ASSERT_NE(latency, series.end()) << game;
    const auto late = number(latency->values.back());
    Nanoseconds work{}, time{};
    int known = 0;
    for (const FrameRecord& frame : store.frames(++run)) {
      time += frame.interval;
      if (frame.gpu_work == kUnknownTime) continue;
      ++known;
      work += frame.gpu_work;
    }
    EXPECT_GE(known, 4) << game << options;
    EXPECT_GT(work, known * 10 * kMicrosecond) << game << options;
    EXPECT_LT(work, time) << game << options;
    ASSERT_TRUE(late) << game << options;
    EXPECT_GT(*late, in_milliseconds(work) / known / 3) << game << ": no sooner than the GPU's work";
    EXPECT_LT(*late, 1'000) << game;
  }
}

TEST(Play, TwoMetersRunAlthoughTheFeedIsTaken) {
  const Session session;
  session.folder.file("settings.toml", "[feed]\n");
  Playing first(session, std::string(kStill) + " --pause 5 --frames 100000", "--settings settings.toml");
  session.wait_for(has_frames);
  const Outcome second = session.play(std::string(kStill) + " --pause 5 --frames 200", "--settings settings.toml");
  EXPECT_NE(second.text.find(": 200 frames"), std::string::npos) << second.text;
  EXPECT_NE(
      testing::text_of(session.folder / ".local/state/idlemeter/meter.log").find("another meter already listens here"),
      std::string::npos);
  session.wait_for(has_frames);
}

TEST(Play, SaysWhyNothingWasSeenOrStarted) {
  const Session session;
  session.folder.file("plain.txt", "no program");
  session.folder.file("small", std::string("\x7f"
                                           "ELF\x01",
                                           5) +
                                   std::string(60, '\0'));
  EXPECT_EQ(session.run("chmod +x small").status, 0);
  const struct {
    std::string game, options, words;
    int status;
  } cases[] = {
      {"true", "", "no frame of the game was seen", 0},
      {"sh -c 'exit 3'", "--record", "no frame was seen: the game ended with status 3 before it presented", 3},
      {"sh -c 'kill -KILL $$'", "--for 1 --end-game", "was ended by signal 9 (Killed) before it", 137},
      {"env -i sleep 1.5", "", "no frame was seen: 'sleep' was started without the environment that loads", 0},
      {"sh -c 'exit 7'", "--for 1 --end-game", "", 7},
      {"sleep 60", "--for 1 --end-game --wait-for-frames 0.2", "no frame of the game was seen", 4},
      {"./small", "", "", 126},
      {"./plain.txt", "", "Permission denied; make it executable with 'chmod +x'", 126},
      {"no-such-game", "", "No such file or directory; name a program that is there", 127},
      {"true", "--record", "not recorded: the game ended before the recording could start", 4},
      {"true", "--repeat 3", "say how long each is, with --for", 2},
      {"true", "--for nan", "'nan' isn't a time from 0.1 s to a day", 2},
  };
  for (const auto& c : cases) {
    const Outcome outcome = session.play(c.game, c.options);
    EXPECT_NE(outcome.text.find(c.words), std::string::npos) << c.game << '\n' << outcome.text;
    EXPECT_EQ(outcome.status, c.status) << c.game << '\n' << outcome.text;
  }
}

TEST(Play, WorksFromAnyFolderAndWithClosedStreams) {
  const Session session;
  const std::string place = (session.folder / "a b:c $d").string();
  const std::string build = std::filesystem::path(IDLEMETER_COMMAND).parent_path();
  ASSERT_EQ(session.run("mkdir '" + place + "' && cp -r '" + build + "/idlemeter' '" + build + "/lib' '" + place + "'")
                .status,
            0);
  for (const char* game : {kStill, kStillVulkan}) {
    const Outcome outcome = session.run("'" + place + "/idlemeter' play -- " + game + " --frames 60");
    EXPECT_NE(outcome.text.find(": 60 frames"), std::string::npos) << outcome.text;
    for (const char* streams : {"<&-", "<&- >&-", "<&- >&- 2>&-", ">&-"}) {
      const std::string record =
          std::string("'" IDLEMETER_COMMAND "' play --record --store mine.db -- ") + game + " --frames 60 ";
      EXPECT_EQ(session.run("{ " + record + streams + "; }").status, 0) << streams;
    }
  }
  EXPECT_EQ(Store(session.folder / "mine.db", Store::Mode::existing).runs().size(), 8u);
}

TEST(Play, AnotherMeterCanTakeOverAGame) {
  const Session session;
  Playing playing(session, std::string(kStill) + " --pause 5 --frames 100000");
  const std::string pid = std::to_string(session.wait_for(has_frames)["games"][0].value("pid", 0));
  const Outcome refused = session.run("'" IDLEMETER_COMMAND "' attach " + pid);
  EXPECT_EQ(refused.status, 1);
  EXPECT_NE(refused.text.find(" has process " + pid + " already; "), std::string::npos) << refused.text;
  EXPECT_NE(refused.text.find("attach --take-over " + pid), std::string::npos) << refused.text;
  const Outcome taken = session.run("timeout -s INT 6 '" IDLEMETER_COMMAND "' attach --take-over " + pid);
  EXPECT_NE(taken.text.find("idlemeter: still_game, OpenGL "), std::string::npos) << taken.text;
  EXPECT_EQ(session.tell("--pid " + std::to_string(playing.meter()) + " state").status, 0)
      << "the first waits for its game";
}

TEST(Play, KeysWorkWhicheverWindowHasTheKeyboard) {
  const Session session;
  const auto settings = session.folder.file("settings.toml", "[keys]\nshow = \"Shift+F9\"\nclear = \"\"\n");
  Playing playing(session, std::string(kStill) + " --pause 5 --frames 100000", "--settings settings.toml --face rate");
  session.wait_for(has_frames);
  // As long as a hand does: a busy meter sees the key after it was pressed, and asks for the modifiers then.
  const auto hold = [&](const std::string& modifiers, const std::string& key) {
    EXPECT_EQ(session
                  .run("xdotool keydown " + modifiers + " keydown " + key + " sleep 0.4 keyup " + key +
                       " keyup shift keyup ctrl keyup alt")
                  .status,
              0);
  };
  const auto hidden = [](const json& state) { return !state.value("visible", true); };
  const auto shown = [](const json& state) { return state.value("visible", false); };
  EXPECT_EQ(session.run("xdotool key F9").status, 0);
  EXPECT_EQ(session.run("xdotool key ctrl+shift+F9").status, 0);
  EXPECT_TRUE(shown(session.wait_for(has_frames))) << "only with its own modifiers";
  hold("shift", "F9");
  session.wait_for(hidden);
  const pid_t other = ::fork();  // another program grabs the keyboard
  if (other == 0) {
    ::execl(kStill, "still_game", "--pause", "5", "--frames", "100000", "--grabs", nullptr);
    ::_exit(127);
  }
  EXPECT_EQ(session.run("for i in $(seq 100); do xdotool search --name Grabbing && break; sleep 0.05; done; sleep 0.3")
                .status,
            0);
  hold("shift", "F9");
  session.wait_for(shown);
  hold("ctrl keydown alt", "r");
  session.wait_for([](const json& state) { return state.contains("recording"); });
  hold("ctrl keydown alt", "r");
  session.wait_for([](const json& state) { return !state.contains("recording"); });
  hold("ctrl keydown alt", "f");
  session.wait_for([](const json& s) { return s["games"][0].value("face", "").find("strip") != std::string::npos; });
  ::kill(other, SIGKILL);
  ::waitpid(other, nullptr, 0);
}

}  // namespace
}  // namespace idlemeter
