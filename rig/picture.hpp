// Pictures of *Tidepool Rally* to lay an overlay over, drawn by the project.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "idlemeter/draw/image.hpp"

namespace idlemeter::rig {

enum class Ground { day, night, reef };  ///< bright, dark, busy

/// "day", "night", "reef".
[[nodiscard]] std::vector<std::string> ground_names();
[[nodiscard]] std::optional<Ground> ground_from(std::string_view name);

/// A view of the race at any size.
Image game_picture(int width, int height, Ground ground = Ground::day);

}  // namespace idlemeter::rig
