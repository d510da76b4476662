// The display and its compositor, on Wayland.
#pragma once

#include <map>
#include <string>

namespace idlemeter::meter {

/// "Compositor", "Display" and, if a point of it is several pixels, "Display scale" (whole numbers, rounded up), as far
/// as the session's compositor answers within two seconds. Empty without a compositor.
[[nodiscard]] std::map<std::string, std::string> wayland_facts();

}  // namespace idlemeter::meter
