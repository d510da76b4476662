// What a machine measures, and what it measures only for root.
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <unistd.h>

#include <algorithm>
#include <filesystem>

#include "doctor/checks.hpp"

namespace idlemeter::doctor {
namespace {

namespace fs = std::filesystem;

struct Wanted {
  const char *id, *subject;
  std::vector<const char*> readings;
};

/// A check for each device: which of its usual readings have a value, and why others have none.
HealthCheck readings_check(const Wanted& wanted, const Snapshot& readings) {
  HealthCheck check{wanted.id, wanted.subject, Health::works, "", ""};
  std::vector<std::string> there, missing;
  for (const char* id : wanted.readings) {
    const auto entry = readings.find(id);
    const auto* reason = entry.value == nullptr ? nullptr : std::get_if<Missing>(entry.value);
    if (entry.info != nullptr && reason == nullptr) {
      there.emplace_back(id);
    } else {
      missing.push_back(reason == nullptr ? id : fmt::format("{} ({})", id, reason->reason));
    }
  }
  check.finding = fmt::format("{}{}{}", fmt::join(there, ", "), there.empty() || missing.empty() ? "" : "; ",
                              missing.empty() ? "" : fmt::format("missing: {}", fmt::join(missing, ", ")));
  if (!missing.empty()) check.health = Health::limited;
  return check;
}

/// The command that applies Idle Meter's rule, which opens these files to everybody. Empty if the rule isn't installed.
std::string to_open_files() {
  const fs::path program = fs::read_symlink("/proc/self/exe");
  const fs::path rule = program.parent_path().parent_path() / "share/idlemeter/sensors-for-everybody.conf";
  std::error_code unknown;
  if (!fs::exists(rule, unknown)) return {};
  return fmt::format("sudo cp {} /etc/tmpfiles.d/ && sudo systemd-tmpfiles --create {}", rule.string(),
                     rule.filename().string());
}

/// Files that only root may read, unless a rule opens them.
HealthCheck permission_check(const char* id, const char* subject, std::vector<fs::path> files) {
  std::error_code unknown;
  std::erase_if(files, [&](const fs::path& file) { return !fs::exists(file, unknown); });
  const auto closed =
      std::find_if(files.begin(), files.end(), [](const fs::path& file) { return ::access(file.c_str(), R_OK) != 0; });
  if (files.empty()) return {id, subject, Health::works, "this machine has none"};
  if (closed == files.end()) return {id, subject, Health::works, "may be read"};
  return {id, subject, Health::limited, fmt::format("only root may read {}", closed->string()), to_open_files()};
}

std::vector<fs::path> energy_counters(const fs::path& root) {
  std::vector<fs::path> files;
  std::error_code none;
  for (const auto& zone : fs::directory_iterator(root / "sys/class/powercap", none))
    files.push_back(zone.path() / "energy_uj");
  return files;
}

}  // namespace

void check_readings(Checks& checks, const DoctorOptions& options) {
  const Wanted devices[] = {
      {"readings.processor", "Processor", {"cpu.load", "cpu.temp", "cpu.clock", "cpu.power"}},
      {"readings.graphics", "Graphics", {"gpu.load", "gpu.temp", "gpu.clock", "gpu.power", "gpu.memory.used"}},
      {"readings.memory", "Memory", {"ram.used"}}};
  for (const Wanted& wanted : devices) checks.push_back(readings_check(wanted, options.readings));
  checks.push_back(permission_check("readings.energy", "Energy counters", energy_counters(options.root)));
  checks.push_back(
      permission_check("readings.modules", "Memory modules", {options.root / "sys/firmware/dmi/tables/DMI"}));
  for (const SourceProblem& problem : options.readings.problems())
    checks.push_back({"readings." + problem.source, problem.source, Health::limited, problem.reason});
}

}  // namespace idlemeter::doctor
