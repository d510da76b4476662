#include "idlemeter/doctor/doctor.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <iterator>

#include "base/launch.hpp"
#include "doctor/checks.hpp"
#include "idlemeter/base/table.hpp"
#include "idlemeter/base/text.hpp"
#include "json/json.hpp"

namespace idlemeter {
namespace {

constexpr std::pair<const char*, const char*> kGroups[] = {{"games", "Games"},
                                                           {"display", "Display"},
                                                           {"readings", "Readings"},
                                                           {"recording", "Recording"},
                                                           {"tools", "Tools"}};

std::string title_of(const std::string& id) {
  for (const auto& [group, title] : kGroups) {
    if (id.starts_with(std::string(group) + ".")) return title;
  }
  return id;
}

}  // namespace

std::string doctor::to_install(const std::string& package) {
  return base::program_in_path("apt-get").empty() ? fmt::format("install {} with the system's package manager", package)
                                                  : fmt::format("sudo apt-get install {}", package);
}

void doctor::check_tools(Checks& checks) {
  const struct {
    const char *id, *subject, *program, *package, *without;
  } tools[] = {{"tools.gnuplot", "Plots as pictures", "gnuplot", "gnuplot-nox", "no plots as PNG or SVG"},
               {"tools.ffmpeg", "Footage", "ffmpeg", "ffmpeg", "no footage of runs, no runs found in clips"}};
  for (const auto& tool : tools) {
    const auto file = base::program_in_path(tool.program);
    if (file.empty()) {
      checks.push_back({tool.id, tool.subject, Health::limited,
                        fmt::format("{} isn't installed: {}", tool.program, tool.without), to_install(tool.package)});
    } else {
      checks.push_back({tool.id, tool.subject, Health::works, file.string()});
    }
  }
}

std::vector<HealthCheck> examine_machine(const DoctorOptions& options) {
  doctor::Checks checks;
  doctor::check_games(checks);
  doctor::check_display(checks, options);
  doctor::check_readings(checks, options);
  doctor::check_recording(checks, options);
  doctor::check_tools(checks);
  return checks;
}

Health worst_of(const std::vector<HealthCheck>& checks) {
  Health worst = Health::works;
  for (const HealthCheck& check : checks) worst = std::max(worst, check.health);
  return worst;
}

std::string name_of(Health health) {
  constexpr const char* kNames[] = {"works", "limited", "fails"};
  return kNames[static_cast<std::size_t>(health)];
}

std::string health_text(const std::vector<HealthCheck>& checks) {
  using enum Table::Align;
  Table table({left, left, left});
  std::string group;
  for (const HealthCheck& check : checks) {
    const std::string title = title_of(check.id);
    if (title != group) table.add_line((group.empty() ? "" : "\n") + title);
    group = title;
    table.add({"  " + name_of(check.health), check.subject, printable(check.finding)});
    if (!check.fix.empty()) table.add_line("           -> " + printable(check.fix));
  }
  return table.text();
}

std::string health_json(const std::vector<HealthCheck>& checks) {
  json::Json list = json::Json::array();
  for (const HealthCheck& check : checks) {
    list.push_back({{"id", check.id},
                    {"subject", check.subject},
                    {"health", name_of(check.health)},
                    {"finding", check.finding},
                    {"fix", check.fix}});
  }
  return json::text_of({{"health", name_of(worst_of(checks))}, {"checks", list}});
}

}  // namespace idlemeter
