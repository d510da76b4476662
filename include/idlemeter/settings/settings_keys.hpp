// Idle Meter: the keys of the settings file.
#pragma once

#include <vector>

#include "idlemeter/face/file_keys.hpp"

namespace idlemeter {

/// All of them, by table: "" at the top, "keys", "recording", "cues", "game", "computed", "command", "feed".
[[nodiscard]] const std::vector<FileKey>& settings_keys();

}  // namespace idlemeter
