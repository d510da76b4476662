#include "runs/recording/recording_mark.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <charconv>
#include <fstream>
#include <iterator>

namespace idlemeter::runs {
namespace {

std::string boot() {
  std::ifstream in("/proc/sys/kernel/random/boot_id");
  std::string id;
  in >> id;
  return id;
}

/// Field 22 of /proc/PID/stat (proc(5)), in clock ticks since the machine's start; empty if there is no such process.
std::string start_of(int process) {
  std::ifstream in(fmt::format("/proc/{}/stat", process));
  std::string text((std::istreambuf_iterator<char>(in)), {});
  const std::size_t name_end = text.rfind(')');  // a name may hold anything
  if (name_end == std::string::npos) return "";
  std::size_t at = name_end;
  constexpr int kFieldsAfterName = 20;
  for (int i = 0; i < kFieldsAfterName && at != std::string::npos; ++i) at = text.find(' ', at + 1);
  return at == std::string::npos ? "" : text.substr(at + 1, text.find(' ', at + 1) - at - 1);
}

std::string mark_of(int process) {
  const std::string start = start_of(process);
  return start.empty() ? "" : fmt::format("{} {} {}", boot(), process, start);
}

}  // namespace

std::string this_recorder() { return mark_of(::getpid()); }

bool is_recording(const std::string& mark) {
  const std::size_t space = mark.find(' ');
  int process = 0;
  if (space == std::string::npos) return false;
  std::from_chars(mark.data() + space + 1, mark.data() + mark.size(), process);
  return process > 0 && mark == mark_of(process);
}

}  // namespace idlemeter::runs
