// Overlays above games, with nothing in the game.
#pragma once

#include <functional>
#include <memory>

#include "meter/loop.hpp"
#include "meter/session/attachment.hpp"

namespace idlemeter::meter {

/// Lays windows above games: above the game's window on X11, above a whole output on Wayland. Throws Error if neither
/// display supports that. Loop and host have to outlive it.
[[nodiscard]] std::unique_ptr<Entrance> windows_above(Loop& loop, const std::function<bool(int)>& is_game, Host& host);

}  // namespace idlemeter::meter
