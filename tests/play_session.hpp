// A session in which real programs are played on a real display.
#pragma once

#include <gtest/gtest.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <cstdlib>
#include <nlohmann/json.hpp>
#include <thread>

#include "folder.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/draw/png.hpp"

namespace idlemeter::testing {

using nlohmann::json;

/// Below the overlay's layer, so that it checks that layer's calls too.
inline constexpr const char* kValidated =
    "env VK_INSTANCE_LAYERS=VK_LAYER_IDLEMETER_overlay:VK_LAYER_KHRONOS_validation "
    "VK_LAYER_ENABLES=VK_VALIDATION_FEATURE_ENABLE_SYNCHRONIZATION_VALIDATION_EXT ";

inline constexpr const char *kStill = STILL_GAME, *kStillVulkan = STILL_VULKAN;

struct Outcome {
  int status = -1;
  std::string text;
};

/// Takes pictures until one holds, for at most half a minute; returns the last.
template <typename Take, typename Holds>
Image image_where(Take take, Holds holds) {
  Image image = take();
  for (int i = 0; i < 150 && !holds(image); ++i) {
    std::this_thread::sleep_for(std::chrono::milliseconds(200));
    image = take();
  }
  return image;
}

/// A session of its own: home, sockets, settings.
class Session {
 public:
  Session() {
    ::setenv("HOME", folder.path().c_str(), 1);
    ::setenv("XDG_RUNTIME_DIR", folder.path().c_str(), 1);
    for (const char* name : {"XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_DATA_HOME"}) ::unsetenv(name);
    std::filesystem::permissions(folder.path(), std::filesystem::perms::owner_all);
  }

  /// Both outputs together.
  [[nodiscard]] Outcome run(const std::string& command) const {
    FILE* pipe = ::popen(("cd '" + folder.path().string() + "' && { " + command + "; } 2>&1").c_str(), "r");
    Outcome outcome;
    char buffer[4096];
    for (std::size_t got; (got = fread(buffer, 1, sizeof buffer, pipe)) > 0;) outcome.text.append(buffer, got);
    const int status = ::pclose(pipe);
    outcome.status = WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
    return outcome;
  }

  [[nodiscard]] Outcome play(const std::string& game, const std::string& options = "") const {
    return run(std::string("'" IDLEMETER_COMMAND "' play ") + options + " -- " + game);
  }

  [[nodiscard]] Outcome tell(const std::string& words) const { return run("'" IDLEMETER_COMMAND "' tell " + words); }

  /// Asks until the answer holds, for at most a minute: the machine may be busy.
  template <typename Holds>
  json wait_for(Holds holds) const {
    json state;
    for (int i = 0; i < 1'200; ++i) {
      const Outcome outcome = tell("state --json");
      state = json::parse(outcome.text, nullptr, false);
      if (outcome.status == 0 && state.is_object() && holds(state)) return state;
      std::this_thread::sleep_for(std::chrono::milliseconds(50));
    }
    ADD_FAILURE() << "not in time: " << state.dump();
    return state;
  }

  [[nodiscard]] Image screen() const {
    const auto file = folder / "screen.png";
    EXPECT_EQ(run("import -window root '" + file.string() + "'").status, 0);
    return load_png(file);
  }

  /// Takes screenshots until one holds, for at most half a minute; returns the last.
  template <typename Holds>
  [[nodiscard]] Image screen_where(Holds holds) const {
    return image_where([this] { return screen(); }, holds);
  }

  Folder folder;
};

/// A game that runs in the background.
class Playing {
 public:
  Playing(const Session& session, const std::string& game, const std::string& options = "") {
    pid_ = ::fork();
    if (pid_ != 0) return;
    const std::string command = "cd '" + session.folder.path().string() +
                                "' && exec '" IDLEMETER_COMMAND "' play --quiet " + options + " -- " + game +
                                " > game.txt 2>&1";
    ::execl("/bin/sh", "sh", "-c", command.c_str(), nullptr);
    ::_exit(127);
  }
  Playing(const Playing&) = delete;
  Playing& operator=(const Playing&) = delete;
  ~Playing() {
    if (pid_ > 0) ::kill(pid_, SIGTERM);
    (void)wait();
  }

  [[nodiscard]] pid_t meter() const { return pid_; }

  int wait() {
    int status = 0;
    if (pid_ > 0) ::waitpid(pid_, &status, 0);
    pid_ = 0;
    return status;
  }

 private:
  pid_t pid_ = 0;
};

inline bool has_frames(const json& state) {
  return !state["games"].empty() && state["games"][0].value("frames", 0) > 30;
}

inline std::string line_with(const std::string& text, const std::string& word) {
  const std::size_t at = text.find(word);
  if (at == std::string::npos) return "";
  const std::size_t start = text.rfind('\n', at) + 1;
  return text.substr(start, text.find('\n', at) - start);
}

inline constexpr const char* kBoxes =
    "[[pin]]\nat = [90, 90]\nbox = [180, 90]\ncolor = \"#ff0000\"\nopacity = 0.5\nradius = 0\n"
    "[[pin]]\nat = [450, 90]\nbox = [180, 90]\ncolor = \"#ffffff\"\nopacity = 0.5\nradius = 0\n";

/// How many pixels are wrong: the face is half red and half white in two places, and the rest is the game's colour.
inline int wrong_pixels(const Image& screen) {
  int wrong = 0;
  for (int y = 0; y < 240; ++y) {
    for (int x = 0; x < 320; ++x) {
      const bool high = y >= 20 && y < 40;
      const std::uint32_t wanted = high && x >= 20 && x < 60     ? 0xff94283c
                                   : high && x >= 100 && x < 140 ? 0xff94a8bc
                                                                 : 0xff285078;
      wrong += screen.at(x, y) == wanted ? 0 : 1;
    }
  }
  return wrong;
}

/// `display`: a session, or a compositor within.
template <typename Display>
void expect_boxes(const Display& display, const std::string& what) {
  const Image screen = display.screen_where([](const Image& image) { return wrong_pixels(image) == 0; });
  EXPECT_EQ(wrong_pixels(screen), 0) << what << std::hex << ' ' << screen.at(30, 30) << ' ' << screen.at(110, 30) << ' '
                                     << screen.at(5, 5);
}

inline void expect_nothing(const Session& session, const std::string& what) {
  const auto is_bare = [](const Image& image) { return image.at(30, 30) == 0xff285078; };
  EXPECT_TRUE(is_bare(session.screen_where(is_bare))) << what;
}

}  // namespace idlemeter::testing
