// The games that run, as their meters see them.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "desk/wire.hpp"

namespace idlemeter::desk {

/// A stream of events: {"meter": its process, "update": as MeterUpdate} many times a second for each meter that runs,
/// {"meters": [processes]} when they change, and at first.
[[nodiscard]] std::function<std::optional<std::string>()> live_events(const std::vector<std::string>& readings);

/// Hands a command, as command_from_json() reads it, to a meter. Throws Error as ask_meter().
[[nodiscard]] Json tell(int meter, const Json& command);

}  // namespace idlemeter::desk
