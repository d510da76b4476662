// Games that nothing may enter.
#pragma once

#include <functional>
#include <memory>

#include "meter/loop.hpp"
#include "meter/session/attachment.hpp"

namespace idlemeter::meter {

/// Windows above games on the session's displays: a game's window on X11, a whole output on Wayland. Throws Error if
/// neither can have them. Loop and host have to outlive it.
[[nodiscard]] std::unique_ptr<Entrance> windows_above(Loop& loop, const std::function<bool(int)>& is_game, Host& host);

}  // namespace idlemeter::meter
