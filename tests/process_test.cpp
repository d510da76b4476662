// What is known of a process by its number.
#include "meter/entrance/process.hpp"

#include <fcntl.h>
#include <gtest/gtest.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cstdlib>
#include <filesystem>
#include <string>
#include <vector>

#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/meter/play_game.hpp"
#include "meter/entrance/container.hpp"

namespace idlemeter {
namespace {

TEST(Process, IsKnownByItsNumber) {
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
  EXPECT_EQ(program_of(child).name, std::filesystem::canonical("/bin/sh").filename()) << "no script, but words";
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
  EXPECT_EQ(program_of(child).name, "process " + std::to_string(child));
  EXPECT_EQ(executable_of(child), "");
  EXPECT_EQ(variable_of(child, "PATH"), "");
  ::close(ready[0]);
  ::close(ready[1]);
}

/// A program that waits, under another name and with these words.
class Waiting {
 public:
  Waiting(const std::filesystem::path& file, std::vector<std::string> words, const std::string& prefix) {
    std::filesystem::create_directories(file.parent_path());
    std::filesystem::copy_file(IDLE_PROGRAM, file, std::filesystem::copy_options::overwrite_existing);
    int ready[2];
    EXPECT_EQ(::pipe2(ready, O_CLOEXEC), 0);
    pid_ = ::fork();
    if (pid_ == 0) {
      std::vector<char*> pointers;
      for (std::string& word : words) pointers.push_back(word.data());
      pointers.push_back(nullptr);
      ::setenv("WINEPREFIX", prefix.c_str(), 1);
      if (::chdir(prefix.c_str()) == 0) ::execv(file.c_str(), pointers.data());
      ::_exit(127);
    }
    ::close(ready[1]);
    char byte = 0;
    (void)!::read(ready[0], &byte, 1);  // the other end closes as the program begins
    ::close(ready[0]);
  }
  Waiting(const Waiting&) = delete;
  Waiting& operator=(const Waiting&) = delete;
  ~Waiting() {
    ::kill(pid_, SIGKILL);
    ::waitpid(pid_, nullptr, 0);
  }
  [[nodiscard]] int pid() const { return pid_; }

 private:
  pid_t pid_ = 0;
};

TEST(Process, IsNamedByWhatItRuns) {
  const testing::Folder folder;
  const std::string at = folder.path().string();
  for (const char* file :
       {"rally.py", "lib/rally.jar", "drive_c/Games/TidewaterFrontier.exe", "rally.sh", "game.x86_64"})
    folder.file(file, "");
  std::filesystem::create_directories(folder / "dosdevices");
  std::filesystem::create_directory_symlink("../drive_c", folder / "dosdevices/c:");
  const struct {
    const char* executable;
    std::vector<std::string> words;
    std::string name, file;
  } cases[] = {
      {"a_game_with_a_very_long_name", {"x"}, "a_game_with_a_very_long_name", "bin/a_game_with_a_very_long_name"},
      {"python3.11", {"python3", "-u", "rally.py", "--fast"}, "rally.py", "rally.py"},
      {"python3", {"python3", "-m", "rally"}, "rally", ""},
      {"python3", {"python3", "-c", "print(1)"}, "python3", "bin/python3"},
      {"bash", {"bash", at + "/rally.sh"}, "rally.sh", "rally.sh"},
      {"java", {"java", "-Xmx1g", "-cp", "lib/rally.jar", "com.tide.Rally", "x"}, "com.tide.Rally", ""},
      {"java", {"java", "-jar", "lib/rally.jar"}, "rally.jar", "lib/rally.jar"},
      {"wine64-preloader",
       {"C:\\Games\\TidewaterFrontier.exe", "-dx11"},
       "TidewaterFrontier.exe",
       "drive_c/Games/TidewaterFrontier.exe"},
      {"wine64",
       {"wine64", "drive_c/Games/TidewaterFrontier.exe"},
       "TidewaterFrontier.exe",
       "drive_c/Games/TidewaterFrontier.exe"},
      {"wine64", {"wine64", "winecfg"}, "wine64", "bin/wine64"},
  };
  for (const auto& one : cases) {
    const Waiting process(folder / (std::string("bin/") + one.executable), one.words, at);
    const ProgramOfProcess program = program_of(process.pid());
    EXPECT_EQ(program.name, one.name);
    EXPECT_EQ(program.file, one.file.empty() ? "" : (folder / one.file).string()) << one.name;
    EXPECT_EQ(program.loader.empty(), one.name == one.executable) << one.name;
  }
}

/// A launcher finds a link with the program's name first in PATH.
TEST(Process, BecomesWhatMakesContainersWithShares) {
  const testing::Folder folder;
  for (const char* place : {"links", "elsewhere", "real"}) std::filesystem::create_directories(folder / place);
  for (const char* place : {"links", "elsewhere"})  // two meters' folders, one after the other
    std::filesystem::create_symlink(std::filesystem::read_symlink("/proc/self/exe"), folder / place / "bwrap");
  folder.file("real/bwrap", "#!/bin/sh\necho \"$0\" \"$@\" >said\n");
  std::filesystem::permissions(folder / "real/bwrap", std::filesystem::perms::owner_all);
  const auto become = [&](const std::string& path, const char* link) {
    const pid_t child = ::fork();
    if (child == 0) {
      std::filesystem::current_path(folder.path());
      ::setenv("PATH", path.c_str(), 1);
      link == nullptr ? ::unsetenv("IDLEMETER_LINK") : ::setenv("IDLEMETER_LINK", link, 1);
      ::setenv("VK_ADD_LAYER_PATH", "/p/layers:/mine", 1);
      const Error error = become_container({"links/bwrap", "--dev", "/dev", "game"});
      ::_exit(error.code() == Error::Code::not_found ? 7 : 8);
    }
    int status = 0;
    ::waitpid(child, &status, 0);
    return WEXITSTATUS(status);
  };
  const std::string links = (folder / "links").string() + ":" + (folder / "elsewhere").string(),
                    all = links + ":" + (folder / "real").string() + ":/usr/bin:/bin",
                    real = (folder / "real/bwrap").string();
  EXPECT_TRUE(makes_containers("/usr/bin/bwrap") && makes_containers("flatpak") && !makes_containers("idlemeter"));
  EXPECT_EQ(become(all, nullptr), 0);
  EXPECT_EQ(testing::text_of(folder / "said"), real + " --dev /dev game\n");
  EXPECT_EQ(become(all, "/run/7.link"), 0);
  EXPECT_EQ(testing::text_of(folder / "said")
                .find(real + " --dev /dev --tmpfs /idlemeter --ro-bind /p "
                             "/idlemeter/probes --bind /run/7.link /idlemeter/meter "),
            0u)
      << testing::text_of(folder / "said");
  EXPECT_EQ(become(links, "/run/7.link"), 7) << "it isn't installed";
}

TEST(Process, GetsSharesOfAnApplicationStoreAtItsOwnPath) {
  using Words = std::vector<std::string>;
  const struct {
    Words command;
    const char* probes;
    Words made;
  } cases[] = {{{"flatpak", "--user", "run", "a.Game", "run"},
                "/opt/p",
                {"flatpak", "--user", "run", "--filesystem=/opt/p:ro", "--filesystem=/run/7.link",
                 "--env=LD_PRELOAD=/opt/p/gl.so", "a.Game", "run"}},
               {{"/usr/bin/flatpak", "run", "a.Game"},
                "/usr/lib/p",
                {"/usr/bin/flatpak", "run", "--filesystem=host-os:ro", "--filesystem=/run/7.link",
                 "--env=LD_PRELOAD=/run/host/usr/lib/p/gl.so", "a.Game"}},
               {{"flatpak", "list"}, "/opt/p", {"flatpak", "list"}},
               {{"flatpak"}, "/opt/p", {"flatpak"}}};
  for (const auto& c : cases) {
    const std::string probes = c.probes;
    EXPECT_EQ(meter::with_shares(c.command, {{"LD_PRELOAD=" + probes + "/gl.so", "HOME=/h"}, probes}, "/run/7.link"),
              c.made);
  }
}

TEST(Process, GetsSharesWhereItsContainersRootHasAPlace) {
  const testing::Folder root;
  for (const char* folder : {"mnt", "opt"}) std::filesystem::create_directories(root / folder);
  const testing::Folder full;
  full.file("mnt/games/rally", "a game");
  std::filesystem::create_directories(full / "opt");
  const std::string own = root.path().string(), used = full.path().string();
  const meter::GameEnvironment environment{
      {"LD_PRELOAD=/p/probes/$LIB/gl.so:/mine.so", "HOME=/h", "IDLEMETER_LINK=/run/7.link"}, "/p"};
  using Words = std::vector<std::string>;
  const struct {
    Words command;
    std::size_t at;  ///< which word the shares come before; 0: none do
    const char* place;
  } cases[] = {
      {{"bwrap", "--ro-bind", "/usr", "/usr", "--dev", "/dev", "game", "--tmpfs"}, 6, "/idlemeter"},
      {{"/usr/bin/bwrap", "--unshare-all", "--clearenv", "--setenv", "A", "--b", "--", "game"}, 6, "/idlemeter"},
      {{"bwrap", "--ro-bind", own, "/", "--args", "7", "game"}, 0, ""},  // what its other options do isn't known
      {{"bwrap", "--ro-bind", own, "/", "game"}, 4, "/mnt"},
      {{"bwrap", "--dev-bind", own, "/", "/mnt/games/rally"}, 4, "/opt"},
      {{"bwrap", "--dev-bind", used, "/", "game"}, 4, "/opt"},
      {{"bwrap", "--ro-bind", own, "/", "--bind", "/mnt/games", "/mnt/games", "game"}, 7, "/opt"},
      {{"bwrap", "--bind", own, "/", "--tmpfs", "/opt", "--dir", "/mnt/games", "game"}, 0, ""},
      {{"sh", "-c", "bwrap game"}, 0, ""},
      {{"bwrap"}, 1, "/idlemeter"},
      {{"bwrap", "--ro-bind"}, 2, "/idlemeter"}};
  for (const auto& c : cases) {
    const Words made = meter::with_shares(c.command, environment, "/run/7.link");
    Words wanted = c.command;
    const std::string place = c.place;
    const Words shares = {"--tmpfs",
                          place,
                          "--ro-bind",
                          "/p",
                          place + "/probes",
                          "--bind",
                          "/run/7.link",
                          place + "/meter",
                          "--setenv",
                          "LD_PRELOAD",
                          place + "/probes/probes/$LIB/gl.so:/mine.so",
                          "--setenv",
                          "IDLEMETER_LINK",
                          place + "/meter"};
    if (c.at > 0) wanted.insert(wanted.begin() + static_cast<std::ptrdiff_t>(c.at), shares.begin(), shares.end());
    EXPECT_EQ(made, wanted) << c.command.back();
  }
}

TEST(Process, KnowsProgramsFor32Bits) {
  const testing::Folder folder;
  EXPECT_FALSE(is_32_bit("/proc/self/exe"));
  EXPECT_FALSE(is_32_bit(folder / "none"));
  EXPECT_TRUE(is_32_bit(folder.file("old", std::string("\x7f"
                                                       "ELF\1\1\1") +
                                               std::string(50, '\0'))));
}

}  // namespace
}  // namespace idlemeter
