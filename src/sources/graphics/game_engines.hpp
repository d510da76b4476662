// What a process has its GPU do, as the kernel reports in fdinfo (Documentation/gpu/drm-usage-stats.rst).
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>

#include "sources/kernel/kernel_file.hpp"

namespace idlemeter::sources {

struct GameEngines {
  std::map<std::string, std::uint64_t>
      busy;                             ///< engine ("gfx", "render", "video") -> nanoseconds of work since the start
  std::optional<std::uint64_t> memory;  ///< bytes of the card's memory
  std::string slot;                     ///< PCI slot of the card that it has work most; may be empty
};

/// Sums over the process's clients: a client that several files share counts once. Empty if nothing can be read.
GameEngines game_engines(const fs::path& fdinfo);

}  // namespace idlemeter::sources
