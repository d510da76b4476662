// What a process runs: the game behind an interpreter, a virtual machine or a loader.
#include <elf.h>
#include <fmt/format.h>
#include <fnmatch.h>

#include <algorithm>
#include <cstdlib>
#include <fstream>
#include <iterator>
#include <string>
#include <string_view>
#include <vector>

#include "idlemeter/base/text.hpp"
#include "meter/entrance/process.hpp"

namespace idlemeter {
namespace {

namespace fs = std::filesystem;
using Words = std::vector<std::string>;

constexpr std::size_t kMostArguments = 256 * 1024;

Words arguments_of(int pid) {
  std::ifstream file(fmt::format("/proc/{}/cmdline", pid), std::ios::binary);
  std::string bytes(kMostArguments, '\0');
  file.read(bytes.data(), static_cast<std::streamsize>(bytes.size()));
  bytes.resize(static_cast<std::size_t>(file.gcount()));
  while (bytes.ends_with('\0')) bytes.pop_back();
  return split(bytes, '\0');
}

bool is_one_of(const std::string& name, std::initializer_list<const char*> patterns) {
  return std::any_of(patterns.begin(), patterns.end(),
                     [&](const char* pattern) { return ::fnmatch(pattern, name.c_str(), FNM_CASEFOLD) == 0; });
}

std::string process_name(int pid) {
  std::ifstream file(fmt::format("/proc/{}/comm", pid));
  std::string name;
  std::getline(file, name);
  return name.empty() ? fmt::format("process {}", pid) : name;
}

/// A file as the process itself would find it.
fs::path as_seen_by(int pid, const fs::path& file) {
  std::error_code gone;
  const fs::path from = fs::read_symlink(fmt::format("/proc/{}/cwd", pid), gone);
  return file.is_absolute() || gone ? file : (from / file).lexically_normal();
}

/// "C:\Games\Rally.exe" as a file, by the drives that Wine keeps as links.
fs::path windows_file(int pid, std::string name) {
  std::replace(name.begin(), name.end(), '\\', '/');
  const bool has_drive = name.size() > 2 && name[1] == ':' && name[2] == '/';
  if (!has_drive) return as_seen_by(pid, name);
  std::string prefix = variable_of(pid, "WINEPREFIX");
  if (prefix.empty()) prefix = variable_of(pid, "HOME") + "/.wine";
  const fs::path file = fs::path(prefix) / "dosdevices" / lower_case(name.substr(0, 2)) / name.substr(3);
  std::error_code gone;
  const fs::path whole = fs::canonical(file, gone);
  return gone ? file : whole;
}

/// The last part of a path of either kind.
std::string last_part(const std::string& path) { return path.substr(path.find_last_of("/\\") + 1); }

/// Wine's own programs start the game, and their words are the game's.
ProgramOfProcess of_windows(int pid, const Words& words) {
  for (const std::string& word : words) {
    const std::string name = last_part(word);
    const bool is_program = lower_case(name).ends_with(".exe") &&
                            !is_one_of(name, {"start.exe", "explorer.exe", "wineboot.exe", "cmd.exe"});
    if (is_program) return {name, windows_file(pid, word), {}};
  }
  return {};
}

/// `java [options] CLASS | -jar FILE | -m MODULE/CLASS [arguments]`
ProgramOfProcess of_java(int pid, const Words& words) {
  for (std::size_t i = 1; i < words.size(); ++i) {
    const bool has_next = i + 1 < words.size();
    if (words[i] == "-jar" && has_next) return {last_part(words[i + 1]), as_seen_by(pid, words[i + 1]), {}};
    if ((words[i] == "-m" || words[i] == "--module") && has_next) return {last_part(words[i + 1]), {}, {}};
    const bool takes_next = is_one_of(words[i], {"-cp", "-classpath", "--class-path", "-p", "--module-path",
                                                 "--add-modules", "--add-opens", "--add-exports"});
    if (takes_next) ++i;
    if (!takes_next && !words[i].starts_with('-')) return {last_part(words[i]), {}, {}};
  }
  return {};
}

/// The first word that is a file; or `-m MODULE`.
ProgramOfProcess of_script(int pid, const Words& words) {
  for (std::size_t i = 1; i < words.size(); ++i) {
    if (words[i] == "-m" && i + 1 < words.size()) return {words[i + 1], {}, {}};
    if (words[i] == "-c" || words[i] == "-e") return {};  // a program in its own words
    const fs::path file = as_seen_by(pid, words[i]);
    std::error_code gone;
    if (!words[i].starts_with('-') && fs::exists(file, gone)) return {last_part(words[i]), file, {}};
  }
  return {};
}

ProgramOfProcess behind(int pid, const std::string& executable) {
  const Words words = arguments_of(pid);
  if (is_one_of(executable, {"wine*", "*-wine*", "box64", "box86"})) return of_windows(pid, words);
  if (is_one_of(executable, {"java", "javaw"})) return of_java(pid, words);
  const bool is_interpreter =
      is_one_of(executable, {"python", "python[0-9]*", "perl*",  "ruby*", "lua*",    "node",     "nodejs", "bash",
                             "dash",   "sh",           "zsh",    "ksh",   "busybox", "mono*",    "dotnet", "love",
                             "tclsh*", "wish*",        "guile*", "php*",  "pypy*",   "electron*"});
  return is_interpreter ? of_script(pid, words) : ProgramOfProcess{};
}

}  // namespace

ProgramOfProcess program_of(int pid) {
  const fs::path executable = executable_of(pid);
  ProgramOfProcess program = behind(pid, executable.filename().string());
  if (!program.name.empty()) {
    program.loader = executable;
    return program;
  }
  return {executable.empty() ? process_name(pid) : executable.filename().string(), executable, {}};
}

bool is_32_bit(const fs::path& executable) {
  char start[EI_NIDENT] = {};
  std::error_code unknown;
  if (!fs::is_regular_file(executable, unknown)) return false;
  std::ifstream(executable, std::ios::binary).read(start, sizeof start);
  return std::string_view(start, SELFMAG) == ELFMAG && start[EI_CLASS] == ELFCLASS32;
}

}  // namespace idlemeter
