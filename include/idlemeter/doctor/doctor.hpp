// Idle Meter: what works on this machine, what doesn't, and what fixes it.
#pragma once

#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter {

enum class Health : std::uint8_t {
  works,
  limited,  ///< something that many want is missing
  fails     ///< something that is needed for an overlay or a recording
};

/// One thing that was looked at.
struct HealthCheck {
  std::string id;       ///< "games.opengl"; what is before the dot is its group
  std::string subject;  ///< "OpenGL games"
  Health health = Health::works;
  std::string finding;   ///< "the probe loads"
  std::string fix = {};  ///< a command for a shell, or what else to do; empty: nothing needs fixing, or can be
};

struct DoctorOptions {
  std::filesystem::path root = "/";     ///< of the tree that `readings` come from
  Snapshot readings = {};               ///< what the machine measures now
  std::filesystem::path settings = {};  ///< the settings file; empty: none
  std::filesystem::path store = {};     ///< for recordings; isn't made
};

/// Looks at games (the probes of both word sizes, graphics drivers and libraries), the display (session, keys,
/// buttons, window above, fonts), readings (what is measured, and what lacks permission), recording (settings, store,
/// disk, cues) and tools. Starts a short program with the probe in it and connects to the display, the session bus and
/// the sound server, which can take some seconds. Changes nothing.
[[nodiscard]] std::vector<HealthCheck> examine_machine(const DoctorOptions& options);

/// The worst of all.
[[nodiscard]] Health worst_of(const std::vector<HealthCheck>& checks);

/// "works", "limited", "fails".
[[nodiscard]] std::string name_of(Health health);

/// For people: a paragraph a group, a line for each check, and below it what fixes it.
[[nodiscard]] std::string health_text(const std::vector<HealthCheck>& checks);

/// An object: `health`, the worst, and `checks`, an array of objects with id, subject, health, finding and fix.
[[nodiscard]] std::string health_json(const std::vector<HealthCheck>& checks);

}  // namespace idlemeter
