// Other programs, started the same way everywhere.
#pragma once

#include <sys/types.h>

#include <array>
#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <vector>

namespace idlemeter::base {

/// Instead of a descriptor in LaunchOptions::files.
inline constexpr int kKeptFile = -1;  ///< this process's
inline constexpr int kNoFile = -2;    ///< /dev/null

struct LaunchOptions {
  std::array<int, 4> files = {kKeptFile, kKeptFile, kKeptFile, kKeptFile};  ///< what its descriptors 0 to 3 are
  std::optional<std::vector<std::string>> variables = {};  ///< its environment, "NAME=value"; empty: this process's
  bool own_group = false;                                  ///< so that Ctrl-C and kill(-pid) tell it from this process
  std::vector<int> default_signals = {};                   ///< that it handles as usual; none: all
};

/// A process, or why there is none.
struct Launched {
  pid_t pid = 0;  ///< 0: it couldn't be started
  int error = 0;  ///< errno's
};

/// Starts a program, found in PATH, with its arguments. It has no blocked signals. What isn't in `files` is closed if
/// it has FD_CLOEXEC.
[[nodiscard]] Launched launch(std::vector<std::string> words, const LaunchOptions& options = {});

/// Waits for a process and returns its exit status, 128 and the signal's number if a signal ended it.
int wait_for(pid_t process);

/// Finds the file that launch() starts for a program's name; skips files that `passes_over` returns true for. Returns
/// an empty path if no file is left.
[[nodiscard]] std::filesystem::path program_in_path(
    const std::string& name, const std::function<bool(const std::filesystem::path&)>& passes_over = {});

/// This process's environment, "NAME=value".
[[nodiscard]] std::vector<std::string> own_variables();

}  // namespace idlemeter::base
