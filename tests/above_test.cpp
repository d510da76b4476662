// The overlay in a window above the game's, with nothing in the game. Run within xvfb-run.
#include "idlemeter/base/time.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/runs/store.hpp"
#include "play_session.hpp"

namespace idlemeter {
namespace {

using namespace testing;

constexpr const char* kGoesOn = STILL_GAME " --pause 5 --frames 100000";

/// A program beside the game: a window manager, a compositor.
class Beside {
 public:
  explicit Beside(const char* program) {
    pid_ = ::fork();
    if (pid_ != 0) return;
    ::execl("/bin/sh", "sh", "-c", (std::string("exec ") + program).c_str(), nullptr);
    ::_exit(127);
  }
  Beside(const Beside&) = delete;
  Beside& operator=(const Beside&) = delete;
  ~Beside() {
    ::kill(pid_, SIGTERM);
    ::waitpid(pid_, nullptr, 0);
  }

 private:
  pid_t pid_;
};

TEST(Above, LoadsNothingIntoTheGame) {
  const Session session;
  const Outcome outcome = session.play(
      "sh -c 'grep idlemeter /proc/self/maps; echo \"[$LD_PRELOAD$VK_INSTANCE_LAYERS$IDLEMETER_LINK]\"'", "--above");
  EXPECT_EQ(outcome.text, "[]\nidlemeter: no window of the game was seen\n");
}

/// The presents of the game's first moment are over before its window is found.
TEST(Above, CountsAndRecordsWhatTheDisplayReports) {
  const Session session;
  for (const char* game : {STILL_GAME " --pause 5 --frames 400", "glmark2 -b build:nframes=400:duration=100",
                           "sh -c '" STILL_GAME " --pause 5 --frames 400'", "vkcube --c 400"}) {
    const Outcome outcome = session.play(game, "--above --record --store above.db");
    const std::string line = line_with(outcome.text, "idlemeter: ");
    int frames = 0;
    const std::size_t at = line.find(": ", 11);
    ASSERT_NE(at, std::string::npos) << outcome.text;
    EXPECT_EQ(std::sscanf(line.c_str() + at, ": %d frames", &frames), 1) << line;
    EXPECT_GT(frames, 200) << line;
    // All present 400 frames. That a window is shown is damage too, and vkcube's may be told in parts on a busy
    // display.
    EXPECT_LE(frames, std::string_view(game).starts_with("vkcube") ? 405 : 402) << line;
  }
  const Store store(session.folder / "above.db", Store::Mode::existing);
  ASSERT_EQ(store.runs().size(), 4u);
  EXPECT_GT(store.frames(1).size(), 100u);
  EXPECT_EQ(store.frames(1)[50].gpu_work, kUnknownTime) << "nobody outside of the game knows";
}

TEST(Above, AMinimisedWindowIsAPauseNotAFrame) {
  const Session session;
  {
    Playing playing(session, kGoesOn, "--above --record --store above.db");
    session.wait_for(has_frames);
    const std::string game = line_with(session.run("xdotool search --sync --name '^Still$'").text, "");
    EXPECT_EQ(session.run("xdotool windowunmap --sync " + game + "; sleep 3; xdotool windowmap --sync " + game).status,
              0);
    const int before = session.wait_for(has_frames)["games"][0].value("frames", 0);
    session.wait_for([&](const json& state) { return state["games"][0].value("frames", 0) > before + 60; });
  }
  const Store store(session.folder / "above.db", Store::Mode::existing);
  Nanoseconds longest{}, pause{};
  const auto frames = store.frames(1);
  for (std::size_t i = 1; i < frames.size(); ++i) {
    longest = std::max(longest, frames[i].interval);
    pause = std::max(pause, frames[i].at - frames[i].interval - frames[i - 1].at);
  }
  EXPECT_LT(longest, 2 * kSecond);
  EXPECT_GT(pause, 2 * kSecond) << "it is seen where it was";
}

TEST(Above, BlendsExactlyWithACompositorAndIsSolidWithout) {
  const Session session;
  session.folder.file("boxes.toml", kBoxes);
  Playing playing(session, kGoesOn, "--above --face boxes.toml");
  session.wait_for(has_frames);
  const auto solid = [](const Image& image) {
    return image.at(30, 30) == 0xff800000 || image.at(30, 30) == 0xff7f0000;
  };
  const Image screen = session.screen_where(solid);
  EXPECT_TRUE(solid(screen)) << std::hex << screen.at(30, 30);
  for (const auto& [x, y] : {std::pair{19, 30}, {60, 30}, {30, 19}, {30, 40}, {99, 30}, {200, 100}})
    EXPECT_EQ(screen.at(x, y), 0xff285078) << x << ' ' << y;
  {
    const Beside compositor("xcompmgr");
    expect_boxes(session, "blended");
    EXPECT_EQ(session.tell("hide").status, 0);
    expect_nothing(session, "hidden");
    EXPECT_EQ(session.tell("show").status, 0);
    expect_boxes(session, "shown");
  }
  EXPECT_TRUE(solid(session.screen_where(solid))) << "the compositor is gone";
}

/// The window of the game under that point, moved or raised by `xdotool`.
std::string window_at(const Session& session, int x, int y) {
  const Outcome outcome =
      session.run("xdotool mousemove " + std::to_string(x) + ' ' + std::to_string(y) + " getmouselocation --shell");
  const std::string line = line_with(outcome.text, "WINDOW=");
  return line.substr(std::min<std::size_t>(7, line.size()));
}

TEST(Above, FollowsTheGameWithoutTakingClicksOrCoveringOtherWindows) {
  for (const char* manager : {"", "openbox"}) {
    const Session session;
    session.folder.file("boxes.toml",
                        "[[pin]]\nat = [90, 90]\nbox = [180, 90]\ncolor = \"#ff0000\"\nopacity = 1\nradius = 0\n");
    std::optional<Beside> managing;
    if (*manager != '\0') {
      EXPECT_EQ(
          session.run("for i in $(seq 400); do xprop -root >/dev/null 2>&1 && exit; sleep 0.05; done; exit 1").status,
          0)
          << "the display isn't there";
      managing.emplace(manager);
      EXPECT_EQ(session
                    .run("for i in $(seq 200); do xprop -root _NET_SUPPORTING_WM_CHECK | grep 'window id' && exit; "
                         "sleep 0.05; done; exit 1")
                    .status,
                0);
    }
    Playing playing(session, kGoesOn, "--above --face boxes.toml");
    session.wait_for(has_frames);
    const std::string game = line_with(session.run("xdotool search --sync --name '^Still$'").text, "");
    EXPECT_EQ(session.run("xdotool windowmove --sync " + game + " 400 300").status, 0);
    const Outcome place = session.run("eval $(xdotool getwindowgeometry --shell " + game + "); echo $X $Y");
    int x = 0, y = 0;
    ASSERT_EQ(std::sscanf(place.text.c_str(), "%d %d", &x, &y), 2) << place.text;
    const auto lies_on = [&](const Image& image) { return image.at(x + 30, y + 30) == 0xffff0000; };
    Image screen = session.screen_where(lies_on);
    EXPECT_TRUE(lies_on(screen)) << manager << " followed";
    EXPECT_NE(screen.at(30, 30), 0xffff0000) << manager;
    const std::string below = window_at(session, x + 30, y + 30);
    EXPECT_EQ(below, window_at(session, x + 200, y + 100)) << manager << ": the overlay takes no clicks";
    const Beside other("xterm -fa 'DejaVu Sans Mono'");
    EXPECT_EQ(
        session
            .run("W=$(xdotool search --sync --class xterm | tail -1); xdotool windowsize $W 200 200 windowmove $W " +
                 std::to_string(x - 50) + ' ' + std::to_string(y - 20) + " windowraise $W")
            .status,
        0);
    const auto covered = [&](const Image& image) { return !lies_on(image); };
    EXPECT_TRUE(covered(session.screen_where(covered)))
        << manager << ": what lies above the game lies above the overlay";
    EXPECT_EQ(session.run("xdotool windowraise " + game).status, 0);
    EXPECT_TRUE(lies_on(session.screen_where(lies_on))) << manager << " raised again";
    EXPECT_EQ(session.run("xdotool windowunmap " + game).status, 0);
    EXPECT_TRUE(covered(session.screen_where(covered))) << manager << ": no game to be seen, no overlay";
    ::kill(playing.meter(), SIGTERM);
    EXPECT_EQ(WTERMSIG(playing.wait()), SIGTERM);
    EXPECT_EQ(session.run("xdotool search --name '^Still$'").text, "") << "signals come to the game";
  }
}

TEST(Above, AttachesToAGameThatWasStartedWithoutIt) {
  const Session session;
  session.folder.file("boxes.toml",
                      "[[pin]]\nat = [90, 90]\nbox = [180, 90]\ncolor = \"#ff0000\"\nopacity = 1\nradius = 0\n");
  const pid_t game = ::fork();
  if (game == 0) {
    ::execl(STILL_GAME, "still_game", "--pause", "5", "--frames", "100000", nullptr);
    ::_exit(127);
  }
  const std::string pid = std::to_string(game);
  EXPECT_EQ(session.run("'" IDLEMETER_COMMAND "' attach " + pid).status, 1) << "it has no probe";
  for (const pid_t ends_first : {0, game}) {
    const pid_t meter = ::fork();
    if (meter == 0) {
      const std::string face = (session.folder / "boxes.toml").string();
      ::execl(IDLEMETER_COMMAND, "idlemeter", "attach", "--above", pid.c_str(), "--face", face.c_str(), "--quiet",
              nullptr);
      ::_exit(127);
    }
    session.wait_for(has_frames);
    const auto lies_on = [](const Image& image) { return image.at(30, 30) == 0xffff0000; };
    EXPECT_TRUE(lies_on(session.screen_where(lies_on)));
    ::kill(ends_first == 0 ? meter : game, SIGINT);
    int status = -1;
    ::waitpid(meter, &status, 0);
    EXPECT_EQ(status, 0) << "the meter ends with the game, or when it is told to";
    EXPECT_EQ(::waitpid(game, nullptr, WNOHANG), ends_first) << "which plays on without it";
  }
}

TEST(Above, SaysWhatTheDisplayLacks) {
  const Session session;
  const std::string play = "'" IDLEMETER_COMMAND "' play --above -- " STILL_GAME " --pause 5 --frames 200";
  const struct {
    std::string command;
    int status;
    const char* text;
  } cases[] = {
      {"xvfb-run -a -s '-extension DAMAGE' " + play, 0, ": 0 frames: they aren't known, for the display has no DAMAGE"},
      {"xvfb-run -a -s '-extension X-Resource' " + play, 1, "the display has no X-Resource extension"},
      {"env -u DISPLAY " + play, 1, "there is no X11 display for a window above the game"},
      {"'" IDLEMETER_COMMAND "' attach --above 99999999", 1, "there is no process 99999999"},
  };
  for (const auto& c : cases) {
    const Outcome outcome = session.run(c.command);
    EXPECT_EQ(outcome.status, c.status) << c.command << '\n' << outcome.text;
    EXPECT_NE(outcome.text.find(c.text), std::string::npos) << c.command << '\n' << outcome.text;
  }
}

}  // namespace
}  // namespace idlemeter
