#include "idlemeter/meter/process.hpp"

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

bool is_anywhere(const std::string& name, const std::string& value) {
  std::error_code gone;
  for (const auto& entry : std::filesystem::directory_iterator("/proc", gone)) {
    const int pid = std::atoi(entry.path().filename().c_str());
    if (pid > 0 && variable_of(pid, name) == value) return true;
  }
  return false;
}

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

bool is_running(int pid) { return ::kill(pid, 0) == 0 || errno == EPERM; }

std::string name_of_process(int pid) {
  std::ifstream file(fmt::format("/proc/{}/comm", pid));
  std::string name;
  std::getline(file, name);
  return name.empty() ? fmt::format("process {}", pid) : name;
}

std::filesystem::path executable_of(int pid) {
  std::error_code gone;
  return std::filesystem::read_symlink(fmt::format("/proc/{}/exe", pid), gone);
}

}  // namespace idlemeter
