// Pictures of *Tidepool Rally* to lay an overlay over, drawn by the project.
#pragma once

#include <string_view>

#include "idlemeter/draw/image.hpp"

namespace idlemeter::rig {

enum class Ground { day, night, reef };  ///< bright, dark, busy

/// A view of the race at any size.
Image game_picture(int width, int height, Ground ground = Ground::day);

}  // namespace idlemeter::rig
