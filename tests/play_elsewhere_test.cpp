// Games of another word size, in a container and with another C library, as tests/other_roots.sh makes them ready. Run
// within xvfb-run.
#include <map>
#include <optional>
#include <sstream>
#include <string>
#include <utility>

#include "play_session.hpp"

namespace idlemeter {
namespace {

using namespace testing;

const std::string kRoots = OTHER_ROOTS, kIn32Bit = kRoots + "/in_32_bit ",
                  kStill32 = kIn32Bit + kRoots + "/still_game.32",
                  kStillVulkan32 = kIn32Bit + kRoots + "/still_vulkan.32",
                  k32BitPrograms = kIn32Bit + kRoots + "/i386/usr/bin/";

/// With a root, a display, and nothing of the user's own.
std::string container(const std::string& root, const std::string& more = "") {
  const auto variable = [](const char* name) {
    const char* value = std::getenv(name);
    return std::string(value == nullptr ? "" : value);
  };
  const std::string key = variable("XAUTHORITY");
  return "bwrap --ro-bind " + root + " / --dev /dev --proc /proc --tmpfs /run --tmpfs /tmp " +
         " --ro-bind /tmp/.X11-unix /tmp/.X11-unix " + (root == "/" ? "--ro-bind " BUILD " " BUILD " " : "") +
         (key.empty() ? "" : "--ro-bind " + key + " /tmp/key ") +
         "--unshare-all --die-with-parent --clearenv --setenv XAUTHORITY /tmp/key --setenv HOME /tmp --setenv "
         "DISPLAY " +
         variable("DISPLAY") + " " + more + "-- ";
}

TEST(PlayElsewhere, CountsWhat32BitProgramsPresent) {
  const Session session;
  const std::pair<std::string, const char*> cases[] = {
      {kStill32 + " --frames 150", ": 150 frames"},
      {kStill32 + " --frames 100 --api es2", "OpenGL ES "},
      {"env SDL_VIDEO_X11_FORCE_EGL=1 " + kStill32 + " --frames 100 --api core", ": 100 frames"},
      {"sh -c '(sleep 1; exec " + kStill32 + " --frames 150) &'", ": 150 frames"},  // started by a 64-bit one
      {kStillVulkan32 + " --frames 100 --windows 2", ": 200 frames"},
      {k32BitPrograms + "vkcube --c 200", "vkcube, Vulkan 1.3, 500x500: 200 frames"},
  };
  for (const auto& [game, seen] : cases) {
    const Outcome outcome = session.play(game);
    EXPECT_NE(line_with(outcome.text, "idlemeter: ").find(seen), std::string::npos) << game << '\n' << outcome.text;
  }
}

TEST(PlayElsewhere, BlendsOn32BitGames) {
  const Session session;
  session.folder.file("boxes.toml", kBoxes);
  for (const std::string& game : {kStill32 + " --api core --odd", kStill32 + " --api es2", kStillVulkan32}) {
    Playing playing(session, game + " --pause 5 --frames 100000", "--face boxes.toml");
    session.wait_for(has_frames);
    expect_boxes(session, game);
  }
}

/// Direct3D by OpenGL and by Vulkan, which Wine does itself.
TEST(PlayElsewhere, PlaysWindowsGames) {
  const Session session;
  session.folder.file("boxes.toml", kBoxes);
  const std::string wine = "env WINEDEBUG=-all WINEPREFIX=" + kRoots + "/wine.64 wine ",
                    renderer = "reg add 'HKCU\\Software\\Wine\\Direct3D' /v renderer /t REG_SZ /f /d ",
                    game = kRoots + "/still_windows.64.exe ",
                    wine_32 =
                        container(kRoots + "/i386", "--bind " + kRoots +
                                                        " /tmp/roots --setenv WINEPREFIX /tmp/roots/wine.32 "
                                                        "--setenv WINEARCH win32 --setenv WINEDEBUG -all --setenv "
                                                        "WINEDLLOVERRIDES mscoree,mshtml= --setenv WINESERVER "
                                                        "/usr/lib/wine/wineserver32 ") +
                        "/usr/lib/wine/wine /tmp/roots/still_windows.32.exe ";
  const struct {
    std::string game, seen;
  } cases[] = {{wine + game + "gl", "still_windows.64.exe, OpenGL 4.5, 320x240"},
               {wine + game + "d3d9", "still_windows.64.exe, OpenGL 4.5, 320x240"},
               {wine + game + "d3d11", "still_windows.64.exe, OpenGL 4.5, 320x240"},
               {wine + game + "d3d11 ", "still_windows.64.exe, Vulkan 1.3, 320x240"},
               {wine_32 + "gl", "still_windows.32.exe, OpenGL 4.5, 320x240"},
               {wine_32 + "d3d9", "still_windows.32.exe, OpenGL 4.5, 320x240"},
               {wine + "start /b /wait /unix " + game + "gl", "still_windows.64.exe, OpenGL 4.5, 320x240"}};
  for (const auto& [command, seen] : cases) {
    const bool is_vulkan = seen.find("Vulkan") != std::string::npos;
    EXPECT_EQ(session.run(wine + renderer + (is_vulkan ? "vulkan" : "gl")).status, 0);
    const Outcome outcome = session.play(command + " 100");
    const std::string line = line_with(outcome.text, "idlemeter: ");
    EXPECT_EQ(line.find("idlemeter: " + seen + ": 100 frames"), 0u) << command << '\n' << outcome.text;
    Playing playing(session, command + " 100000 5", "--face boxes.toml");
    session.wait_for(has_frames);
    expect_boxes(session, command);
  }
  (void)session.run("WINEPREFIX=" + kRoots + "/wine.64 wineserver -k");  // the last game has outlived its launcher
}

TEST(PlayElsewhere, CountsOnceWhereOpenGlIsDoneByVulkan) {
  const Session session;
  session.folder.file("boxes.toml", kBoxes);
  const std::string by_vulkan = "env LIBGL_ALWAYS_SOFTWARE=1 MESA_LOADER_DRIVER_OVERRIDE=zink ";
  for (const char* way : {"", "SDL_VIDEO_X11_FORCE_EGL=1 "}) {
    const Outcome outcome = session.play(by_vulkan + way + kStill + " --frames 100");
    EXPECT_NE(outcome.text.find("still_game, OpenGL 4.6, 320x240: 100 frames"), std::string::npos) << outcome.text;
    EXPECT_EQ(outcome.text.find("Vulkan"), std::string::npos) << outcome.text;
    Playing playing(session, by_vulkan + way + kStill + " --pause 5 --frames 100000", "--face boxes.toml");
    session.wait_for(has_frames);
    expect_boxes(session, by_vulkan + way);
  }
}

/// A compositor without a screen, whose pictures can be taken.
class Compositor {
 public:
  explicit Compositor(const Session& session) : session_(session) {
    ::setenv("WAYLAND_DISPLAY", "sea", 1);
    EXPECT_EQ(session
                  .run("weston --backend=headless-backend.so --width=640 --height=480 --use-gl --socket=sea --debug "
                       "--idle-time=0 --no-config >weston.log 2>&1 & echo $! >weston.pid; for i in $(seq 200); do "
                       "[ -S sea ] && break; sleep 0.1; done; [ -S sea ]")
                  .status,
              0)
        << text_of(session.folder / "weston.log");
  }
  Compositor(const Compositor&) = delete;
  Compositor& operator=(const Compositor&) = delete;
  ~Compositor() {
    (void)session_.run("kill $(cat weston.pid)");
    ::unsetenv("WAYLAND_DISPLAY");
  }

  [[nodiscard]] Image screen() const {
    EXPECT_EQ(session_.run("rm -f wayland-*.png; weston-screenshooter; mv wayland-*.png screen.png").status, 0);
    return load_png(session_.folder / "screen.png");
  }

 private:
  const Session& session_;
};

TEST(PlayElsewhere, PlaysOnWayland) {
  const Session session;
  session.folder.file("boxes.toml", kBoxes);
  const Compositor compositor(session);
  const Outcome outcome = session.play("vkcube-wayland --c 60", "--record --store runs.db");
  EXPECT_NE(outcome.text.find("vkcube-wayland, Vulkan 1.3, 500x500: 60 frames"), std::string::npos) << outcome.text;
  const Outcome run = session.run("'" IDLEMETER_COMMAND "' runs show 1 --all --store runs.db");
  EXPECT_NE(run.text.find("weston, Wayland"), std::string::npos) << run.text;
  EXPECT_NE(run.text.find("640x480 at 60.00 Hz"), std::string::npos) << run.text;
  const Outcome above = session.run("DISPLAY= '" IDLEMETER_COMMAND "' play --above -- true");
  EXPECT_EQ(above.status, 1);
  EXPECT_NE(above.text.find("the compositor has no layers"), std::string::npos) << above.text;
  const Outcome beside = session.play("timeout 2 weston-simple-egl -o", "--above");  // with a display of X11 as well
  EXPECT_NE(beside.text.find(
                "no window of the game was seen; games of Wayland can't have one here: the compositor has no layers"),
            std::string::npos)
      << beside.text;
  Playing playing(session, "weston-simple-egl -f -o", "--face boxes.toml");
  session.wait_for(has_frames);
  const Image screen = image_where([&] { return compositor.screen(); },
                                   [](const Image& image) { return image.at(60, 60) == 0xff800000; });
  EXPECT_EQ(screen.at(60, 60), 0xff800000) << std::hex << screen.at(60, 60);
  EXPECT_EQ(screen.at(240, 60), 0xff808080) << std::hex << screen.at(240, 60);
  EXPECT_EQ(screen.at(20, 60), 0xff000000) << std::hex << screen.at(20, 60);
}

/// Returns a prefix that runs a program as a user other than root; nothing if this machine doesn't allow that.
std::optional<std::string> as_somebody(const Session& session) {
  if (::geteuid() != 0) return "";
  const std::string renamed = "unshare --user --map-user=1000 --map-group=1000 ";
  if (session.run(renamed + "true").status == 0) return renamed;
  return std::nullopt;
}

/// A tiling compositor without a screen, with X11 beside it. All windows are full screen.
class Sway {
 public:
  Sway(const Session& session, const std::string& somebody) : session_(session) {
    session.folder.file("sway.conf",
                        "output * resolution 320x240\nfor_window [class=\".*\"] fullscreen enable\n"
                        "for_window [app_id=\".*\"] fullscreen enable\n"
                        "exec echo $WAYLAND_DISPLAY $DISPLAY $SWAYSOCK >names.new && mv names.new names\n");
    EXPECT_EQ(session
                  .run("WLR_BACKENDS=headless WLR_LIBINPUT_NO_DEVICES=1 WLR_RENDERER=pixman " + somebody +
                       "sway -c sway.conf >sway.log 2>&1 & echo $! >sway.pid; for i in $(seq 200); do [ -e names ] && "
                       "break; sleep 0.1; done; [ -e names ]")
                  .status,
              0)
        << text_of(session.folder / "sway.log");
    std::istringstream names(text_of(session.folder / "names"));
    for (const char* variable : {"WAYLAND_DISPLAY", "DISPLAY", "SWAYSOCK"}) {
      std::string name;
      names >> name;
      if (const char* outer = std::getenv(variable)) outer_[variable] = outer;
      ::setenv(variable, name.c_str(), 1);
    }
  }
  Sway(const Sway&) = delete;
  Sway& operator=(const Sway&) = delete;
  ~Sway() {
    (void)session_.run("kill $(cat sway.pid)");
    for (const char* variable : {"WAYLAND_DISPLAY", "DISPLAY", "SWAYSOCK"}) {
      const auto outer = outer_.find(variable);
      outer == outer_.end() ? ::unsetenv(variable) : ::setenv(variable, outer->second.c_str(), 1);
    }
  }

  /// As Session::screen_where().
  template <typename Holds>
  [[nodiscard]] Image screen_where(Holds holds) const {
    const auto screen = [this] {
      EXPECT_EQ(session_.run("grim screen.png").status, 0);
      return load_png(session_.folder / "screen.png");
    };
    return image_where(screen, holds);
  }

 private:
  const Session& session_;
  std::map<std::string, std::string> outer_;
};

TEST(PlayElsewhere, PlaysOnWaylandAndOnX11BesideIt) {
  const Session session;
  session.folder.file("boxes.toml", kBoxes);
  const auto somebody = as_somebody(session);
  if (!somebody) GTEST_SKIP() << "the compositor refuses to run as root, and this machine doesn't allow another user";
  const Sway sway(session, *somebody);
  const std::string x11 = "env SDL_VIDEODRIVER=x11 " + std::string(kStill),
                    wayland = "env SDL_VIDEODRIVER=wayland " + std::string(kStill);
  for (const std::string& game : {x11, wayland, std::string(kStillVulkan)}) {
    const Outcome outcome = session.play(game + " --frames 100");
    EXPECT_NE(outcome.text.find(": 100 frames"), std::string::npos) << outcome.text;
  }
  for (const std::string& game : {x11, wayland}) {
    for (const char* way : {"", "--above "}) {
      Playing playing(session, game + " --pause 5 --frames 100000", std::string(way) + "--face boxes.toml");
      session.wait_for([](const json& state) { return !state["games"].empty(); });
      expect_boxes(sway, way + game);
    }
  }
}

/// Frames are unknown, readings are recorded. The overlay isn't scaled, whatever the output's scale.
TEST(PlayElsewhere, LiesAboveGamesOfWayland) {
  const Session session;
  session.folder.file("boxes.toml", kBoxes);
  const auto somebody = as_somebody(session);
  if (!somebody) GTEST_SKIP() << "the compositor refuses to run as root, and root may be nobody else here";
  const Sway sway(session, *somebody);
  EXPECT_EQ(session.run("swaymsg output '*' scale 1.25").status, 0);
  const Outcome health = session.run("'" IDLEMETER_COMMAND "' doctor");
  EXPECT_NE(health.text.find("above any game; frames of Wayland's aren't known then"), std::string::npos)
      << health.text;
  {
    Playing playing(session, "env SDL_VIDEODRIVER=wayland " + std::string(kStill) + " --pause 5 --frames 100000",
                    "--above --face boxes.toml --record --store runs.db");
    const json state = session.wait_for([](const json& now) { return now["recording"].value("run", 0) == 1; });
    EXPECT_NE(state["games"][0].value("frames_unknown", "").find("Wayland"), std::string::npos) << state.dump();
    EXPECT_EQ(state["games"][0].value("picture", ""), "320x240");
    for (const char* scale : {"1.25", "1", "2"}) {
      EXPECT_EQ(session.run("swaymsg output '*' scale " + std::string(scale)).status, 0);
      expect_boxes(sway, scale);
    }
    EXPECT_EQ(session.tell("hide").status, 0);
    const Image hidden = sway.screen_where([](const Image& image) { return image.at(30, 30) == 0xff285078; });
    EXPECT_EQ(hidden.at(30, 30), 0xff285078);
    EXPECT_EQ(session.tell("show").status, 0);
    expect_boxes(sway, "shown again");
  }
  const Outcome run = session.run("'" IDLEMETER_COMMAND "' runs show 1 --all --store runs.db");
  EXPECT_NE(line_with(run.text, "Display scale").find("1.25"), std::string::npos) << run.text;
}

TEST(PlayElsewhere, SharesWhatAContainerNeeds) {
  const Session session;
  session.folder.file("boxes.toml", kBoxes);
  for (const char* game : {kStill, kStillVulkan}) {
    const std::string command = container("/") + game + " --frames 150";
    for (const std::string& way : {command, "sh -c '" + command + " & wait'"}) {  // by itself, by a launcher
      const Outcome outcome = session.play(way);
      EXPECT_NE(outcome.text.find(": 150 frames"), std::string::npos) << way << outcome.text;
    }
    Playing playing(session, container("/") + game + " --pause 5 --frames 100000", "--face boxes.toml");
    session.wait_for(has_frames);
    expect_boxes(session, game);
  }
}

/// In containers of a system with an older C library, by bubblewrap and by an application store.
TEST(PlayElsewhere, PlaysBesideAnOlderLibraryOfC) {
  const Session session;
  session.folder.file("box.toml",
                      "[[pin]]\nat = [0, 0]\nbox = [108, 108]\ncolor = \"#ff0000\"\nopacity = 0.5\nradius = 0\n");
  const std::string older = container(kRoots + "/older");
  ::setenv("FLATPAK_USER_DIR", (kRoots + "/flatpak").c_str(), 1);
  for (const std::string& game : {older + "/usr/bin/glxgears", older + "/usr/bin/es2gears_x11",
                                  std::string("flatpak --user run rally.tidepool.Gears")}) {
    Playing playing(session, game, "--face box.toml");
    const json state = session.wait_for(has_frames);
    const auto is_red = [](const Image& image) { return (image.at(5, 5) | 0x010000) == 0xff810000; };
    const Image screen = session.screen_where(is_red);
    EXPECT_TRUE(is_red(screen)) << game << std::hex << ' ' << screen.at(5, 5);
    ::kill(state["games"][0].value("pid", 0), SIGTERM);  // a store's game outlives what started it
  }
}

TEST(PlayElsewhere, SaysWhatAContainerLacks) {
  const Session session;
  const Outcome outcome =
      session.play("sh -c '/usr/bin/" + container(kRoots + "/older") + "/usr/bin/glxgears -info & sleep 4; kill $!'");
  EXPECT_NE(outcome.text.find("'glxgears' runs in a container without "), std::string::npos) << outcome.text;
  EXPECT_NE(outcome.text.find(".link; share that with it"), std::string::npos) << outcome.text;
}

}  // namespace
}  // namespace idlemeter
