// The display and its compositor, on Wayland.
#pragma once

#include <map>
#include <string>

namespace idlemeter::meter {

/// "Compositor" and "Display", as far as the session's compositor answers within two seconds; empty if there is none.
[[nodiscard]] std::map<std::string, std::string> wayland_facts();

}  // namespace idlemeter::meter
