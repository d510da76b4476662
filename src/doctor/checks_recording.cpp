// Whether a run can be kept, and told of.
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <filesystem>

#include "doctor/checks.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/runs/store.hpp"
#include "idlemeter/settings/settings.hpp"
#include "meter/cues/cues.hpp"

namespace idlemeter::doctor {
namespace {

namespace fs = std::filesystem;

/// The nearest folder that is there: the store and its folders are made when something is recorded.
fs::path nearest_folder(fs::path file) {
  std::error_code unknown;
  do file = file.parent_path();
  while (!file.empty() && file != "/" && !fs::is_directory(file, unknown));
  return file.empty() ? "." : file;
}

HealthCheck store_check(const fs::path& file) {
  HealthCheck check{"recording.store", "Store", Health::works, "", ""};
  std::error_code unknown;
  if (fs::exists(file, unknown)) {
    try {
      const Store opened(file, Store::Mode::existing);
      const auto runs = opened.runs(Store::Facts::none);
      const auto damaged =
          std::count_if(runs.begin(), runs.end(), [](const RunInfo& run) { return !run.problem.empty(); });
      check.finding = fmt::format("{}: {} run{}{}", file.string(), runs.size(), runs.size() == 1 ? "" : "s",
                                  damaged == 0 ? "" : fmt::format(", {} of them damaged", damaged));
      if (damaged > 0) check.health = Health::limited;
    } catch (const Error& error) {
      return {check.id, check.subject, Health::fails, error.what(), "name another store, or repair this one"};
    }
  } else {
    check.finding = file.string() + ": will be made by the first recording";
  }
  const fs::path folder = nearest_folder(file);
  if (::access(folder.c_str(), W_OK) != 0)
    return {check.id, check.subject, Health::fails, fmt::format("you may not write to {}", folder.string()),
            fmt::format("sudo chown $USER {}", folder.string())};
  return check;
}

HealthCheck disk_check(const fs::path& file) {
  constexpr double kHour = 15e6;  // bytes: an hour at 300 frames a second, with its readings
  const fs::path folder = nearest_folder(file);
  std::error_code unknown;
  const fs::space_info space = fs::space(folder, unknown);
  if (unknown) return {"recording.space", "Disk", Health::limited, unknown.message()};
  const double hours = static_cast<double>(space.available) / kHour;
  return {"recording.space", "Disk", hours < 10 ? Health::limited : Health::works,
          fmt::format("{:.1f} GB free at {}: about {:.0f} hours at 300 frames a second",
                      static_cast<double>(space.available) * 1e-9, folder.string(), hours),
          hours < 10 ? "free some, or name a store on another disk" : ""};
}

constexpr std::pair<CueWay, const char*> kWays[] = {
    {CueWay::tone, "tones"}, {CueWay::notification, "notifications"}, {CueWay::speech, "speech"}};

/// The ways that are chosen for any cue.
std::vector<CueWay> chosen(const CueChoices& cues) {
  std::vector<CueWay> ways;
  for (const auto& [way, name] : kWays) {
    const auto uses = [way = way](const std::vector<CueWay>& of) {
      return std::find(of.begin(), of.end(), way) != of.end();
    };
    if (uses(cues.start) || uses(cues.end) || uses(cues.mark) || uses(cues.failure)) ways.push_back(way);
  }
  return ways;
}

}  // namespace

void check_recording(Checks& checks, const DoctorOptions& options) {
  Settings settings;
  std::error_code unknown;
  if (options.settings.empty() || !fs::exists(options.settings, unknown)) {
    checks.push_back({"recording.settings", "Settings", Health::works, "the defaults"});
  } else {
    try {
      settings = load_settings(options.settings);
      checks.push_back({"recording.settings", "Settings", Health::works, options.settings.string()});
    } catch (const Error& error) {
      checks.push_back({"recording.settings", "Settings", Health::fails, error.what(), "correct the file"});
    }
  }
  checks.push_back(store_check(options.store));
  checks.push_back(disk_check(options.store));
  for (const CueWay way : chosen(settings.cues)) {
    const auto* const named =
        std::find_if(std::begin(kWays), std::end(kWays), [&](const auto& one) { return one.first == way; });
    const std::string problem = meter::problem_with(way);
    checks.push_back(
        {fmt::format("recording.{}", named->second), fmt::format("Cues as {}", named->second),
         problem.empty() ? Health::works : Health::limited, problem.empty() ? "can be given" : problem,
         problem.empty() ? "" : "start the service in this session, or choose other cues in the settings"});
  }
}

}  // namespace idlemeter::doctor
