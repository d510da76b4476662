#include "base/launch.hpp"

#include <fcntl.h>
#include <signal.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cerrno>
#include <cstdlib>
#include <sstream>

namespace idlemeter::base {
namespace {

/// What posix_spawn() takes, freed in the end.
class Spawning {
 public:
  Spawning() {
    posix_spawn_file_actions_init(&actions);
    posix_spawnattr_init(&attributes);
  }
  Spawning(const Spawning&) = delete;
  Spawning& operator=(const Spawning&) = delete;
  ~Spawning() {
    for (const int copy : copies_) ::close(copy);
    posix_spawn_file_actions_destroy(&actions);
    posix_spawnattr_destroy(&attributes);
  }

  void set_files(const std::array<int, 4>& files) {
    const int beyond = static_cast<int>(files.size());
    for (int place = 0; place < beyond; ++place) {
      const int file = files[static_cast<std::size_t>(place)];
      if (file == kNoFile)
        posix_spawn_file_actions_addopen(&actions, place, "/dev/null", place == 0 ? O_RDONLY : O_WRONLY, 0);
      if (file < 0) continue;
      // One that is itself a place would be replaced before it is copied: a copy beyond them isn't.
      copies_.push_back(::fcntl(file, F_DUPFD_CLOEXEC, beyond));
      posix_spawn_file_actions_adddup2(&actions, copies_.back(), place);
    }
  }

  void set_signals(const std::vector<int>& defaults, bool own_group) {
    sigset_t none, usual;
    sigemptyset(&none);
    sigemptyset(&usual);
    for (const int signal : defaults) sigaddset(&usual, signal);
    if (defaults.empty()) sigfillset(&usual);
    posix_spawnattr_setsigmask(&attributes, &none);
    posix_spawnattr_setsigdefault(&attributes, &usual);
    posix_spawnattr_setpgroup(&attributes, 0);
    const int group = own_group ? POSIX_SPAWN_SETPGROUP : 0;
    posix_spawnattr_setflags(&attributes, static_cast<short>(POSIX_SPAWN_SETSIGMASK | POSIX_SPAWN_SETSIGDEF | group));
  }

  posix_spawn_file_actions_t actions;
  posix_spawnattr_t attributes;

 private:
  std::vector<int> copies_;
};

std::vector<char*> pointers_to(std::vector<std::string>& texts) {
  std::vector<char*> pointers;
  for (std::string& text : texts) pointers.push_back(text.data());
  pointers.push_back(nullptr);
  return pointers;
}

}  // namespace

Launched launch(std::vector<std::string> words, const LaunchOptions& options) {
  Spawning spawning;
  spawning.set_files(options.files);
  spawning.set_signals(options.default_signals, options.own_group);
  std::vector<std::string> variables = options.variables.value_or(std::vector<std::string>());
  Launched launched;
  launched.error =
      ::posix_spawnp(&launched.pid, words[0].c_str(), &spawning.actions, &spawning.attributes,
                     pointers_to(words).data(), options.variables ? pointers_to(variables).data() : environ);
  if (launched.error != 0) launched.pid = 0;
  return launched;
}

int wait_for(pid_t process) {
  int status = 0;
  while (::waitpid(process, &status, 0) < 0 && errno == EINTR) {
  }
  return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
}

std::vector<std::string> own_variables() {
  std::vector<std::string> variables;
  for (char** variable = environ; *variable != nullptr; ++variable) variables.emplace_back(*variable);
  return variables;
}

std::filesystem::path program_in_path(const std::string& name,
                                      const std::function<bool(const std::filesystem::path&)>& passes_over) {
  if (name.find('/') != std::string::npos) return name;
  std::istringstream folders(std::getenv("PATH") == nullptr ? "/usr/bin:/bin" : std::getenv("PATH"));
  for (std::string folder; std::getline(folders, folder, ':');) {
    const std::filesystem::path file = std::filesystem::path(folder.empty() ? "." : folder) / name;
    if (::access(file.c_str(), X_OK) != 0 || !std::filesystem::is_regular_file(file)) continue;
    if (!passes_over || !passes_over(file)) return file;
  }
  return {};
}

}  // namespace idlemeter::base
