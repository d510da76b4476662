// Idle Meter: the live state of a running meter's games, sent to those who watch them.
#pragma once

#include <cstdint>
#include <filesystem>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/meter/command.hpp"
#include "idlemeter/readings/reading.hpp"

namespace idlemeter {

/// What a meter sends: its state and what was asked for.
struct MeterUpdate {
  /// What belongs to one game of the state, in the same order.
  struct Game {
    std::vector<FrameRecord> frames = {};      ///< since the update before, if they were asked for
    std::uint64_t frames_skipped = 0;          ///< not in `frames`, because the watcher was too slow
    std::map<std::string, Value> values = {};  ///< of the game's own readings that were asked for, by id
  };

  Moment at{};                               ///< on the meter's monotonic clock, as the frames
  MeterState state = {};                     ///< without GameState::frame_times
  std::vector<Game> games = {};              ///< one for each of state.games
  std::map<std::string, Value> values = {};  ///< of the machine's readings that were asked for, by id
};

// As JSON, a line each: what MeterAnswer has with a state, and
//   "at_ns": 5123456789, "values": {"cpu.load": 31.5, "gpu.name": "Marl G9", "gpu.load": {"missing": "…"}}
// and in each game, if they aren't empty,
//   "new_frames_ns": [[at, interval, GPU's work or null], …], "frames_skipped": 12, "values": {…}

[[nodiscard]] std::string to_json(const MeterUpdate& update);

/// Throws Error if it isn't an update; the error that the meter has answered, if it is one.
[[nodiscard]] MeterUpdate update_from_json(std::string_view json);

/// A connection to a running meter, which sends updates on it. A watcher that is too slow for its pace gets fewer of
/// them, each with the frames of all the time since the last, up to limits::kWatchedFrames. One thread at a time.
class MeterWatch {
 public:
  /// Throws Error if no meter answers at the socket.
  MeterWatch(const std::filesystem::path& control_socket, const WatchRequest& request);
  MeterWatch(MeterWatch&&) noexcept;
  MeterWatch& operator=(MeterWatch&&) noexcept;
  ~MeterWatch();

  /// Readable when next() may have an update.
  [[nodiscard]] int descriptor() const;

  /// The next update, if one comes within that time. Throws Error if the meter refuses the request or sends something
  /// else than updates.
  [[nodiscard]] std::optional<MeterUpdate> next(Nanoseconds at_most);

  /// Whether the meter has ended, or dropped this watcher: no more updates come.
  [[nodiscard]] bool is_over() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace idlemeter
