// Games in containers: what such a game needs of the outside, and whether it has it.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "meter/entrance/game_environment.hpp"

namespace idlemeter::meter {

/// A command that makes a container ("bwrap …", "flatpak run …") with options more, which share the probes (read only)
/// and the meter's socket at a place that its root has, and set the probes' variables to there. Any other command as it
/// is; also one whose container has no such place.
std::vector<std::string> with_shares(std::vector<std::string> command, const GameEnvironment& environment,
                                     const std::filesystem::path& socket);

/// A process whose container lacks files that the probe needs.
struct Contained {
  std::string program;                         ///< its name; empty if no such process was found
  std::vector<std::filesystem::path> missing;  ///< files that the container lacks
};

/// Searches the descendants of a process for one in a container that lacks any of the needed files.
Contained find_contained(int ancestor, const std::vector<std::filesystem::path>& needed);

/// Whether a process sees another file system than this one. False for another user's.
[[nodiscard]] bool is_contained(int pid);

}  // namespace idlemeter::meter
