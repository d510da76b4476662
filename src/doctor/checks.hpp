// The doctor's groups of checks.
#pragma once

#include <string>
#include <vector>

#include "idlemeter/doctor/doctor.hpp"

namespace idlemeter::doctor {

using Checks = std::vector<HealthCheck>;

/// "sudo apt-get install ffmpeg", or words for a system with another package manager.
std::string to_install(const std::string& package);

void check_games(Checks& checks);
void check_display(Checks& checks, const DoctorOptions& options);
void check_readings(Checks& checks, const DoctorOptions& options);
void check_recording(Checks& checks, const DoctorOptions& options);
void check_tools(Checks& checks);

}  // namespace idlemeter::doctor
