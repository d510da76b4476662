// The display and its compositor, on Wayland.
#pragma once

#include <map>
#include <string>

namespace idlemeter::meter {

class WaylandSession;

/// "Compositor", "Display" and, unless it is 1, "Display scale" (pixels of the display for a unit of the compositor,
/// like 1.25), as far as the compositor has answered.
[[nodiscard]] std::map<std::string, std::string> wayland_facts(const WaylandSession& session);

/// Connects first, which takes up to two seconds. Returns an empty map without a compositor.
[[nodiscard]] std::map<std::string, std::string> wayland_facts();

}  // namespace idlemeter::meter
