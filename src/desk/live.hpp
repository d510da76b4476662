// The games that run, as their meters see them.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "desk/wire.hpp"
#include "idlemeter/meter/recording_plan.hpp"

namespace idlemeter::desk {

/// A stream of events: {"meter": its process, "update": as MeterUpdate} many times a second for each meter that runs,
/// {"meters": [processes]} when they change, and at first.
[[nodiscard]] std::function<std::optional<std::string>()> live_events(const std::vector<std::string>& readings);

/// A plan as the fields of a form: {"for", "after", "repeat", "pause", "note", "settings": ["preset=High"], "tags"},
/// all as wanted. Throws Error as plan_from().
[[nodiscard]] RecordingPlan plan_in(const Json& form);

/// Starts a recording. Throws Error as tell().
[[nodiscard]] Json record(int meter, const RecordingPlan& plan);

/// Hands a command, as command_from_json() reads it, to a meter. Throws Error as ask_meter().
[[nodiscard]] Json tell(int meter, const Json& command);

}  // namespace idlemeter::desk
