#include "meter/entrance/container.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <initializer_list>
#include <iterator>
#include <optional>
#include <utility>

#include "base/launch.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/meter/play_game.hpp"
#include "meter/entrance/process.hpp"

namespace idlemeter::meter {
namespace {

namespace fs = std::filesystem;
using Words = std::vector<std::string>;

bool is_one_of(const std::string& word, std::initializer_list<const char*> words) {
  return std::find(words.begin(), words.end(), word) != words.end();
}

constexpr const char *kBubblewrap = "bwrap", *kFlatpak = "flatpak";

/// How many words an option of bubblewrap takes (bwrap(1)).
std::size_t words_of(const std::string& option) {
  if (option.find("bind") != std::string::npos) return 2;
  if (is_one_of(option, {"--setenv", "--symlink", "--file", "--chmod"})) return 2;
  if (option == "--overlay") return 3;
  if (option.starts_with("--unshare-") ||
      is_one_of(option, {"--help", "--version", "--share-net", "--disable-userns", "--assert-userns-disabled",
                         "--clearenv", "--new-session", "--die-with-parent", "--as-pid-1"}))
    return 0;
  return 1;
}

/// Where bubblewrap's options end: at "--", or at the first word that belongs to none.
std::size_t end_of_options(const Words& command) {
  std::size_t at = 1;
  while (at < command.size() && command[at].starts_with("--") && command[at] != "--") at += 1 + words_of(command[at]);
  return std::min(at, command.size());
}

/// A folder for shares. A container's root is a new one, where any may be made, unless a folder is bound there; then
/// one that a system has and that nothing is mounted on.
std::optional<fs::path> place_for_shares(const Words& command, std::size_t end) {
  std::string root;
  for (std::size_t at = 1; at < end; at += 1 + words_of(command[at])) {
    const bool is_root = command[at].find("bind") != std::string::npos && at + 2 < end && command[at + 2] == "/";
    if (is_root) root = command[at + 1];
  }
  const auto options_end = command.begin() + static_cast<std::ptrdiff_t>(end);
  const bool are_hidden = std::find(command.begin(), options_end, "--args") != options_end;  // more of them in a file
  if (are_hidden) return {};
  if (root.empty()) return "/idlemeter";
  for (const char* folder : {"srv", "mnt", "media", "opt", "boot"}) {
    const std::string name = std::string("/") + folder;
    // The game or its files may be there, also by a relative path.
    const bool is_taken =
        std::any_of(command.begin(), command.end(), [&](const std::string& word) { return word.starts_with(name); });
    std::error_code unknown;
    const fs::path place = fs::path(root) / folder;
    if (!is_taken && fs::is_directory(place, unknown) && fs::is_empty(place, unknown) && !unknown) return name;
  }
  return {};
}

/// A list of paths with ':' between them, in which what was in one place is in another.
std::string moved(const std::string& paths, const std::string& from, const std::string& to) {
  Words parts = split(paths, ':');
  for (std::string& path : parts) {
    if (path == from || path.starts_with(from + "/")) path.replace(0, from.size(), to);
  }
  return fmt::format("{}", fmt::join(parts, ":"));
}

/// The paths of the shared files inside a container.
struct Shared {
  std::string probes, socket;
};

/// The probes' variables with paths inside the container: names and values.
std::vector<std::pair<std::string, std::string>> variables_with(const Shared& shared,
                                                                const GameEnvironment& environment,
                                                                const fs::path& socket) {
  std::vector<std::pair<std::string, std::string>> found;
  for (const std::string& variable : environment.variables) {
    const std::size_t equals = variable.find('=');
    const std::string name = variable.substr(0, equals);
    if (std::find(std::begin(kProbeVariables), std::end(kProbeVariables), name) == std::end(kProbeVariables)) continue;
    const std::string value = moved(variable.substr(equals + 1), environment.probes, shared.probes);
    found.emplace_back(name, moved(value, socket, shared.socket));
  }
  return found;
}

void insert(Words& command, std::size_t at, const Words& words) {
  command.insert(command.begin() + static_cast<std::ptrdiff_t>(at), words.begin(), words.end());
}

void share_with_bubblewrap(Words& command, const GameEnvironment& environment, const fs::path& socket) {
  const std::size_t end = end_of_options(command);
  const auto place = place_for_shares(command, end);
  if (!place) return;
  const Shared shared{*place / "probes", *place / "meter"};
  Words shares = {"--tmpfs", *place, "--ro-bind", environment.probes, shared.probes, "--bind", socket, shared.socket};
  for (const auto& [name, value] : variables_with(shared, environment, socket))
    shares.insert(shares.end(), {"--setenv", name, value});
  insert(command, end, shares);
}

/// Shared files keep their paths in a sandbox, except for those below /usr: the system's /usr is at /run/host/usr
/// (flatpak-run(1), flatpak-metadata(5)).
void share_with_flatpak(Words& command, const GameEnvironment& environment, const fs::path& socket) {
  const auto is_option = [](const std::string& word) { return word.starts_with('-'); };
  const auto run = std::find_if_not(command.begin() + 1, command.end(), is_option);
  if (run == command.end() || *run != "run") return;
  const bool is_systems = environment.probes.string().starts_with("/usr/");
  const Shared shared{(is_systems ? "/run/host" : "") + environment.probes.string(), socket};
  Words shares = {"--filesystem=" + (is_systems ? "host-os" : environment.probes.string()) + ":ro",
                  "--filesystem=" + socket.string()};
  for (const auto& [name, value] : variables_with(shared, environment, socket))
    shares.push_back(fmt::format("--env={}={}", name, value));
  insert(command, static_cast<std::size_t>(run - command.begin()) + 1, shares);
}

}  // namespace

std::vector<std::string> with_shares(std::vector<std::string> command, const GameEnvironment& environment,
                                     const fs::path& socket) {
  if (command.empty() || environment.probes.empty()) return command;
  const fs::path program = fs::path(command.front()).filename();
  if (program == kBubblewrap) share_with_bubblewrap(command, environment, socket);
  if (program == kFlatpak) share_with_flatpak(command, environment, socket);
  return command;
}

/// The environment of this process, which a game's launcher has started.
GameEnvironment own_environment() {
  const char* layers = std::getenv("VK_ADD_LAYER_PATH");  // environment_for() puts …/layers first
  const std::string first = layers == nullptr ? "" : split(layers, ':').front();
  return {base::own_variables(), first.empty() ? "" : fs::path(first).parent_path()};
}

bool is_contained(int pid) {
  std::error_code failed;
  const auto files_of = [&](const std::string& process) {
    return fs::read_symlink(fs::path("/proc") / process / "ns/mnt", failed).string();
  };
  const std::string files = files_of(std::to_string(pid));
  return !files.empty() && files != files_of("self");
}

Contained find_contained(int ancestor, const std::vector<fs::path>& needed) {
  std::error_code failed;
  Contained made;
  for (const int pid : all_processes()) {
    if (!is_contained(pid) || !descends_from(pid, ancestor)) continue;
    const fs::path root = fs::path("/proc") / std::to_string(pid) / "root";
    Contained found{program_of(pid).name, {}};
    for (const fs::path& path : needed) {
      if (!fs::exists(root / path.relative_path(), failed)) found.missing.push_back(path);
    }
    if (found.missing.empty()) continue;
    if (found.program != kBubblewrap) return found;
    made = found;  // it stays in the container, beside what it starts
  }
  return made;
}

}  // namespace idlemeter::meter

namespace idlemeter {

bool makes_containers(const std::string& program) {
  const std::string name = std::filesystem::path(program).filename();
  return name == meter::kBubblewrap || name == meter::kFlatpak;
}

Error become_container(std::vector<std::string> command) {
  namespace fs = std::filesystem;
  std::error_code unknown;
  const std::string name = fs::path(command.at(0)).filename();
  const fs::path self = executable_of(::getpid()).filename();  // an update may have replaced the file
  const auto is_own_link = [&](const fs::path& file) { return fs::read_symlink(file, unknown).filename() == self; };
  const fs::path program = base::program_in_path(name, is_own_link);
  if (program.empty()) return {Error::Code::not_found, fmt::format("'{}' isn't installed", name), "", "install it"};
  const char* socket = std::getenv(meter::kLinkVariable);
  command.front() = name;
  if (socket != nullptr) command = meter::with_shares(std::move(command), meter::own_environment(), socket);
  std::vector<char*> words;
  for (std::string& word : command) words.push_back(word.data());
  words.push_back(nullptr);
  ::execv(program.c_str(), words.data());
  return {Error::Code::failed, fmt::format("'{}' can't be run: {}", program.string(), std::strerror(errno))};
}

}  // namespace idlemeter
