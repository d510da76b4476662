// Idle Meter: what meters answer, for people.
#pragma once

#include <string>

#include "idlemeter/meter/command.hpp"

namespace idlemeter {

/// A line for the meter, with its recording, and one for each game.
[[nodiscard]] std::string state_words(const MeterState& state);

/// What a command has done: "run 3 of Tidepool Rally", "face mine", "hidden", "done".
[[nodiscard]] std::string answer_words(const MeterCommand& command, const MeterAnswer& answer);

}  // namespace idlemeter
