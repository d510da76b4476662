// What a game's environment has to hold for the meter to get its frames.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "idlemeter/meter/play_game.hpp"

namespace idlemeter::meter {

/// Marks the processes of a game that a window is laid above; nothing in them reads it.
inline constexpr const char* kAboveVariable = "IDLEMETER_ABOVE";

/// What the probes are loaded by and read.
inline constexpr const char *kLinkVariable = "IDLEMETER_LINK",
                            *kProbeVariables[] = {"LD_PRELOAD", "VK_ADD_LAYER_PATH", "VK_INSTANCE_LAYERS",
                                                  kLinkVariable, "IDLEMETER_GPU_TIME"};

struct GameEnvironment {
  std::vector<std::string> variables;  ///< "NAME=value"
  std::filesystem::path probes;        ///< the folder that they are loaded from; empty: none are
};

/// Whether games of 32 bit can be measured here.
[[nodiscard]] bool has_32_bit_probe();

/// This process's environment with what the way needs: the OpenGL probe is preloaded, the Vulkan one is a layer; what
/// the user has of either stays. Throws Error if the probe isn't installed, or can't be loaded from where it is.
GameEnvironment environment_for(const PlayOptions& options, const std::filesystem::path& socket, bool loads_probe);

}  // namespace idlemeter::meter
