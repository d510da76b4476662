// Idle Meter: commands to a running meter, and its answers.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_histogram.hpp"
#include "idlemeter/meter/recording_plan.hpp"

namespace idlemeter {

/// What a watcher is sent, and how often.
struct WatchRequest {
  Nanoseconds every = kSecond;             ///< 20 ms to an hour; the meter's own pace is 33 ms
  bool frames = false;                     ///< also every frame since the update before
  std::vector<std::string> readings = {};  ///< also the values of these, by id; those without any are left out

  friend bool operator==(const WatchRequest&, const WatchRequest&) = default;
};

struct MeterCommand {
  enum class What : std::uint8_t {
    show,
    hide,
    toggle,     ///< show or hide
    clear,      ///< restart the live statistics
    mark,       ///< set a mark in the recording
    note,       ///< add notes to the recording, or to the planned ones
    face,       ///< show another face
    record,     ///< start or stop a recording
    hand_over,  ///< let all games go, so that another meter may take them
    state,
    watch  ///< answer with an update again and again, until the connection is closed: watch.hpp
  } what = What::state;
  std::string face = {};  ///< of `face`; empty: the next
  enum class Record : std::uint8_t { start, stop, toggle } record = Record::toggle;
  RecordingPlan plan = {};  ///< of a recording that starts; its notes are those of `note`
  std::string mark = {};    ///< what the mark is about
  WatchRequest watch = {};  ///< of `watch`
};

/// One game, as a meter sees it.
struct GameState {
  int pid = 0;
  std::string name = {}, api = {}, picture = {};
  std::uint64_t frames = 0;   ///< presents, of all its windows
  std::uint64_t lost = 0;     ///< overwritten before they could be read, or too many
  std::uint64_t refused = 0;  ///< with impossible times
  std::string face = {};
  std::optional<double> average_fps = {}, low_1_percent_fps = {};
  FrameHistogram frame_times = {};  ///< of all its frames
  std::string frames_unknown = {};  ///< why its frames can't be seen; usually empty
  std::string mistake = {};         ///< what is wrong with its face file; usually empty
};

struct RecordingState {
  /// opening: the store isn't open yet. ending: the last frames are on their way into the store, and nothing else is
  /// planned.
  enum class Phase : std::uint8_t { planned, opening, recording, ending } phase = Phase::planned;
  Nanoseconds starts_in{};               ///< until the next planned one, or, if it waits, from then on
  std::string waits_for = {};            ///< "the first frame", "a mark", for people; usually empty
  std::optional<Nanoseconds> left = {};  ///< of the one in progress, if it has a planned length
  int number = 1, of = 1;                ///< which of the plan's runs this is
  int pid = 0;                           ///< of the game; 0 while planned or ending
  std::int64_t run = 0;                  ///< its number; 0 until the store is open
};

struct MeterState {
  int pid = 0;
  bool visible = false;
  std::vector<GameState> games = {};
  std::optional<RecordingState> recording = {};
  std::string recording_problem = {};  ///< why the last recording failed; empty if it didn't
};

/// What a command led to. Only what belongs to the command is set.
struct MeterAnswer {
  std::string error = {};                  ///< empty: done
  Error::Code code = Error::Code::failed;  ///< of the error
  std::optional<bool> visible = {};
  std::optional<int> marks = {};
  std::optional<std::string> face = {};
  std::optional<std::int64_t> run = {};
  std::optional<std::string> game = {};  ///< the one that is recorded, if several are being played
  std::optional<bool> finished = {};     ///< whether the run is all on the disk
  std::optional<MeterState> state = {};
};

// As JSON objects, the way they go over the control socket:
//   {"do": "show" | "hide" | "toggle" | "clear" | "state" | "hand over"}
//   {"do": "face", "name": "strip"}
//   {"do": "mark", "text": "boss fight"}
//   {"do": "note", "settings": {"Preset": "High"}, "note": "…", "tags": ["…"]}, any of these
//   {"do": "record", "what": "start" | "stop" | "toggle", "for": seconds, "after": seconds, "at mark": true,
//    "repeat": runs, "pause": seconds, "settings": {"Preset": "High"}, "note": "…", "tags": ["…"]}
//   {"do": "watch", "every": seconds, "frames": true, "readings": ["gpu.temp", …]}, all but the first as wanted
// An answer is {"ok": true, …} or {"error": "…", "code": "not found"}, the code by name_of(Error::Code).

[[nodiscard]] std::string to_json(const MeterCommand& command);
[[nodiscard]] std::string to_json(const MeterAnswer& answer);

/// Throws Error if it isn't a command.
[[nodiscard]] MeterCommand command_from_json(std::string_view json);

/// Throws Error if it isn't an answer.
[[nodiscard]] MeterAnswer answer_from_json(std::string_view json);

}  // namespace idlemeter
