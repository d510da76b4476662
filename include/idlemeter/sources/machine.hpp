// Idle Meter: the readings of a machine, out of its kernel's own files.
#pragma once

#include <filesystem>
#include <map>
#include <memory>
#include <string>

#include "idlemeter/readings/source.hpp"
#include "idlemeter/sources/game_pid.hpp"

namespace idlemeter {

struct MachineOptions {
  /// A folder with proc/ and sys/ to read instead of this machine's: the machine's own, or a tree that looks like them.
  std::filesystem::path root = "/";

  /// The game, which may change while the sources are in use; nullptr: none. Its sources notice within a sample or two.
  std::shared_ptr<const GamePid> game = {};

  /// The proprietary graphics driver's management library, as dlopen() finds it. Empty: none.
  std::string graphics_library = "libnvidia-ml.so.1";

  /// Readings by id that are this text, whatever the machine says: "cpu.name" -> "Corvid 8".
  std::map<std::string, std::string> facts = {};
};

/// Sources for everything that this machine is known to measure; those that find nothing have no readings.
[[nodiscard]] Sources machine_sources(const MachineOptions& options = {});

}  // namespace idlemeter
