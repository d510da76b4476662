// Idle Meter: a recorded run.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"

namespace idlemeter {

/// How a recording ended. A run without one wasn't ended: its meter was killed, or is still recording.
enum class RunEnd : std::uint8_t {
  asked,         ///< stopped on request
  time,          ///< its planned length was over
  game_ended,    ///< the game closed, or its end isn't known in more detail
  game_crashed,  ///< the game went without closing: it crashed or was killed
  store_failed   ///< the store took no more
};

/// "asked", "time", "game ended", "game crashed", "store failed": as in the store.
[[nodiscard]] std::string_view name_of(RunEnd end);
[[nodiscard]] std::optional<RunEnd> run_end_from(std::string_view name);

/// What is known of a run beside its frames and readings.
struct RunDetails {
  std::string game = {};
  std::string note = {};
  std::vector<std::string> tags = {};
  std::map<std::string, std::string> facts = {};     ///< the machine: "Processor" -> "Corvid 8"
  std::map<std::string, std::string> settings = {};  ///< what was tried: "Preset" -> "High"
};

/// The name of the fact with the words that the game was started with. Launchers pass tokens and account names there,
/// so that it isn't handed on with a run unless asked.
inline constexpr std::string_view kArgumentsFact = "Arguments";

/// The facts that may be handed on.
[[nodiscard]] std::map<std::string, std::string> facts_to_share(std::map<std::string, std::string> facts,
                                                                bool arguments = false);

/// What to change of a run that is recorded.
struct RunChange {
  std::optional<std::string> game = {}, note = {};
  std::vector<std::string> facts_to_drop = {};
  std::vector<std::string> tags = {}, tags_to_drop = {};
  std::map<std::string, std::string> settings = {};
  std::vector<std::string> settings_to_drop = {};
};

/// A run as a list shows it.
struct RunInfo {
  std::int64_t id = 0;    ///< in its store
  std::string uuid = {};  ///< identifies the run, wherever it is copied
  std::string started;    ///< UTC, ISO 8601: "2026-03-01T20:15:00Z"
  bool finished = false;  ///< false if its recorder was stopped in the middle, or is still in progress
  std::uint64_t frames = 0;
  Nanoseconds length{};  ///< sum of the intervals; of a log without frames, up to its last sample
  std::optional<RunEnd> end = {};
  std::uint64_t lost = 0;  ///< frames that were presented but couldn't be recorded
  RunDetails details;
  std::string problem = {};  ///< what of it can't be read, in a damaged store; empty: all can
};

/// Whether a run is a log of readings without a game: see ReadingLog.
[[nodiscard]] bool is_log(const RunInfo& run);

/// One reading over a run: as many times as values.
struct RunSeries {
  ReadingInfo info;
  std::vector<Moment> at;
  std::vector<Value> values;
};

/// Some of a run's samples, one after another. A column holds the numbers of one of its readings, NaN where it was
/// missing; a text reading's has none. Readings that came later may have no column yet.
struct RunSamples {
  std::vector<Moment> at;
  std::vector<std::vector<double>> columns;  ///< each as long as `at`
};

}  // namespace idlemeter
