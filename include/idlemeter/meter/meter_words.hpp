// Idle Meter: what meters answer, for people.
#pragma once

#include <string>

#include "idlemeter/meter/command.hpp"
#include "idlemeter/meter/meter.hpp"
#include "idlemeter/meter/play_game.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {

/// A line for the meter, with its recording, and one for each game.
[[nodiscard]] std::string state_words(const MeterState& state);

/// What a command has done: "run 3 of Tidepool Rally", "face mine", "hidden", "done".
[[nodiscard]] std::string answer_words(const MeterCommand& command, const MeterAnswer& answer);

/// What was seen of a game: "Tidepool Rally, Vulkan 1.3, 2560x1440: 5412 frames in 60.00 s, average 90.2 FPS, …".
[[nodiscard]] std::string game_words(const GameReport& game);

/// What was recorded: "run 3 in runs.db: average 91.2 FPS, 1% low 47.4 FPS, 0.1% low 31.0 FPS (mean of the slowest)".
/// Throws Error as Store does.
[[nodiscard]] std::string recorded_words(const Store& store, std::int64_t run);

/// Why no game presented: "the game ended with status 1 before it presented: see what it printed".
[[nodiscard]] std::string no_frame_words(const PlayReport& report);

/// True if the game may have presented in a way that the probe doesn't see, so that a window above it would help.
[[nodiscard]] bool may_present_otherwise(const PlayReport& report);

/// Why a recording is shorter than planned: "the game ended".
[[nodiscard]] std::string shortness_words(const RecordedRun& run);

}  // namespace idlemeter
