// What a game's environment has to hold for the meter to get its frames.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "idlemeter/meter/play_game.hpp"

namespace idlemeter::meter {

/// Marks the processes of a game that a window is laid above; nothing in them reads it.
inline constexpr const char* kAboveVariable = "IDLEMETER_ABOVE";

/// Whether games of 32 bit can be measured here.
[[nodiscard]] bool has_32_bit_probe();

/// This process's environment with what the way needs: the OpenGL probe is preloaded, the Vulkan one is a layer; what
/// the user has of either stays. Throws Error if the probe isn't installed, or can't be loaded from where it is.
std::vector<std::string> environment_for(const PlayOptions& options, const std::filesystem::path& socket,
                                         bool loads_probe);

}  // namespace idlemeter::meter
