// Idle Meter: the readings of a machine, out of its kernel's own files.
#pragma once

#include <filesystem>

#include "idlemeter/sampler.hpp"

namespace idlemeter {

struct MachineOptions {
  /// The folder that holds proc/ and sys/: the machine's own, or a tree that looks like them.
  std::filesystem::path root = "/";
};

/// Sources for everything that this machine is known to measure; those that find nothing have no readings.
[[nodiscard]] Sources machine_sources(const MachineOptions& options = {});

}  // namespace idlemeter
