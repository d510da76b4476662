// Idle Meter: the readings of a machine, out of its kernel's own files.
#pragma once

#include <filesystem>
#include <map>
#include <string>

#include "idlemeter/sampler.hpp"

namespace idlemeter {

/// The game that is played, as far as it is known.
struct GameFacts {
  int pid = 0;               ///< of its process; 0: no game
  std::string name = {};     ///< empty: what the process is called
  std::string api = {};      ///< "Vulkan"
  std::string picture = {};  ///< "2560x1440"
};

struct MachineOptions {
  /// The folder that holds proc/ and sys/: the machine's own, or a tree that looks like them.
  std::filesystem::path root = "/";

  GameFacts game = {};

  /// The proprietary graphics driver's management library, as dlopen() finds it. Empty: none.
  std::string graphics_library = "libnvidia-ml.so.1";

  /// Readings by id that are this text, whatever the machine says: "cpu.name" -> "Corvid 8".
  std::map<std::string, std::string> facts = {};
};

/// Sources for everything that this machine is known to measure; those that find nothing have no readings.
[[nodiscard]] Sources machine_sources(const MachineOptions& options = {});

}  // namespace idlemeter
