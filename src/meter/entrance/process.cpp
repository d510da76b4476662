#include "meter/entrance/process.hpp"

#include <fmt/format.h>
#include <signal.h>

#include <cerrno>
#include <cstdlib>
#include <fstream>
#include <sstream>

namespace idlemeter {

std::string variable_of(int pid, const std::string& name) {
  std::ifstream file(fmt::format("/proc/{}/environ", pid), std::ios::binary);
  for (std::string variable; std::getline(file, variable, '\0');) {
    if (variable.starts_with(name + "=")) return variable.substr(name.size() + 1);
  }
  return {};
}

std::vector<int> processes_with(const std::string& name, const std::string& value) {
  std::vector<int> found = all_processes();
  std::erase_if(found, [&](int pid) { return variable_of(pid, name) != value; });
  return found;
}

bool is_anywhere(const std::string& name, const std::string& value) { return !processes_with(name, value).empty(); }

bool descends_from(int pid, int ancestor) {
  while (pid > 1 && pid != ancestor) {
    std::ifstream file(fmt::format("/proc/{}/stat", pid));
    std::string text;
    std::getline(file, text);
    std::istringstream rest(text.substr(text.rfind(')') + 1));  // the name before it may hold anything
    char state = 0;
    int parent = 0;
    if (!(rest >> state >> parent)) return false;
    pid = parent;
  }
  return pid == ancestor;
}

std::vector<int> all_processes() {
  std::vector<int> all;
  std::error_code gone;
  for (const auto& entry : std::filesystem::directory_iterator("/proc", gone)) {
    if (const int pid = std::atoi(entry.path().filename().c_str()); pid > 0) all.push_back(pid);
  }
  return all;
}

std::uint64_t resident_pages_of(int pid) {
  std::ifstream file(fmt::format("/proc/{}/statm", pid));
  std::uint64_t size = 0, resident = 0;
  file >> size >> resident;
  return resident;
}

bool is_running(int pid) { return ::kill(pid, 0) == 0 || errno == EPERM; }

std::filesystem::path executable_of(int pid) {
  constexpr std::string_view kGone = " (deleted)";
  std::error_code gone;
  std::string path = std::filesystem::read_symlink(fmt::format("/proc/{}/exe", pid), gone).string();
  if (path.ends_with(kGone)) path.resize(path.size() - kGone.size());  // replaced while it runs, as by an update
  return path;
}

}  // namespace idlemeter
