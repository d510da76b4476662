// Idle Meter: the meters that run, and commands to them.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "idlemeter/meter/command.hpp"

namespace idlemeter {

/// $XDG_RUNTIME_DIR/idlemeter, else /tmp/idlemeter-UID; if that is another user's, a folder in the user's home.
[[nodiscard]] std::filesystem::path meter_folder();

/// Sends a line to a running meter and returns the line that it answers; see command.hpp. Throws Error if nobody
/// answers within two seconds.
[[nodiscard]] std::string tell_meter(const std::filesystem::path& control_socket, const std::string& command);

/// The same with a command. Throws Error also if the answer can't be understood.
[[nodiscard]] MeterAnswer ask_meter(const std::filesystem::path& control_socket, const MeterCommand& command);

/// Whether one of its games is that process.
[[nodiscard]] bool has_game(const MeterState& state, int pid);

/// The control sockets of the meters that run in a folder, by process.
struct RunningMeter {
  int pid = 0;
  std::filesystem::path control;
};
[[nodiscard]] std::vector<RunningMeter> running_meters(const std::filesystem::path& folder = meter_folder());

/// What a meter says of itself; empty if it doesn't answer, for instance because it is stopped.
[[nodiscard]] std::optional<MeterState> state_of(const RunningMeter& meter);

/// A game, and the process of its meter.
struct RunningGame {
  int meter = 0;
  GameState state = {};
};
/// The games of all meters that answer.
[[nodiscard]] std::vector<RunningGame> running_games(const std::filesystem::path& folder = meter_folder());

/// The meter with that process, or those with a game of that process, among the meters that answer.
[[nodiscard]] std::vector<RunningMeter> meters_of(int pid, const std::filesystem::path& folder = meter_folder());

}  // namespace idlemeter
