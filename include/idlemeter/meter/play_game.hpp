// Idle Meter: starts a game, plays it with a meter beside it, and reports how it went.
#pragma once

#include <cstdint>
#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "idlemeter/base/error.hpp"
#include "idlemeter/meter/meter.hpp"
#include "idlemeter/meter/recording_plan.hpp"
#include "idlemeter/settings/settings.hpp"

namespace idlemeter {

/// How the meter gets a game's frames.
enum class FrameWay : std::uint8_t {
  probe,   ///< a library that is loaded into the game, for OpenGL and Vulkan
  linked,  ///< the game links Idle Meter's library and reports by itself
  above    ///< from outside: a window above the game's, and on X11 the display's word on when it changes
};

struct PlayOptions {
  FrameWay way = FrameWay::probe;
  Settings settings = {};
  std::filesystem::path store = {};            ///< for recordings
  std::string face = {};                       ///< by name; empty: by the settings' rules, else the benchmark starter
  std::string game_name = {};                  ///< what the game is called in runs and on faces; empty: as its program
  bool visible = true;                         ///< the overlay
  std::optional<RecordingPlan> plan = {};      ///< recorded without a key or a command
  RunNotes notes = {};                         ///< of every recording of this session
  bool ends_game = false;                      ///< once all runs of the plan are recorded or have failed
  std::optional<Nanoseconds> silent_end = {};  ///< with ends_game: ends it also if nothing presents for this long
  std::function<void()> is_silent = {};        ///< as MeterOptions::is_silent
  std::function<void(const std::string&)> log = {};  ///< what a user should know, a line each
  std::filesystem::path probe = {};                  ///< the OpenGL probe; empty: the one that was installed or built
};

/// What a game is that started and never presented.
struct Unmeasured {
  std::string program = {};  ///< its name; empty if it had ended before it was looked at
  bool is_of_another_user = false;
  bool lacks_environment = false;  ///< it was started without the variables that load the probe
};

/// What was seen of a session, and what became of its recordings.
struct PlayReport {
  std::optional<Error> not_started = {};  ///< the game: Code::not_found, or another if it can't be run
  std::vector<GameReport> games = {};
  std::vector<RecordedRun> runs = {};         ///< in their order
  std::vector<std::int64_t> empty_runs = {};  ///< recorded runs without a frame
  std::string unread = {};                    ///< why it isn't known which runs are empty
  std::vector<std::string> problems = {};     ///< of recordings, a sentence each
  bool never_recorded = false;                ///< a plan, or a part of it, was still waiting for frames
  std::string unseen_games = {};              ///< with FrameWay::above: which kind can't have one here, and why
  std::string program_32_bit = {};            ///< one that was seen, where the probe for those isn't installed
  std::string contained_program = {};         ///< one that was seen in a container without what measuring it takes
  std::vector<std::string> unshared = {};     ///< what that container would have to share
  Unmeasured unmeasured = {};                 ///< if nothing presented
  bool was_asked_to_end = false;              ///< the game: by PlayOptions::ends_game, or by a signal to this process
  int status = 0;                             ///< the game's, as wait() gives it

  /// Whether every planned run was recorded, with frames and in its full length.
  [[nodiscard]] bool is_complete() const;
};

/// Whether a game is a 32-bit program, and the probe for those isn't installed. False if it isn't found.
[[nodiscard]] bool lacks_probe(const std::vector<std::string>& game);

/// Starts a game (its program and arguments) and plays until it has ended, with all that it started and that presents.
/// SIGINT, SIGTERM and the like are passed on to the game: call it before the program has other threads. Throws Error
/// if the face, the plan, the store's folder, the probe or the meter's sockets can't be used.
[[nodiscard]] PlayReport play_game(const std::vector<std::string>& game, const PlayOptions& options);

/// Attaches to a game that play_game() started in another process, or to any with FrameWay::above, until it has ended
/// or SIGINT or SIGTERM comes. `takes_over`: another meter that has the game has to let it go. Throws Error as
/// play_game(), if there is no such process, it wasn't started with a meter, or if another meter has it.
[[nodiscard]] PlayReport attach_to_game(int process, bool takes_over, const PlayOptions& options);

/// Returns whether a program starts containers that play_game() can share files with: "bwrap", "/usr/bin/flatpak".
[[nodiscard]] bool makes_containers(const std::string& program);

/// Replaces this process by the real "bwrap" or "flatpak" in PATH and, if the game is measured, adds options that share
/// the probes and the meter's socket. play_game() adds links with these names to a launcher's PATH; they start this
/// program. Returns only on failure.
[[nodiscard]] Error become_container(std::vector<std::string> command);

/// Ends this process by the signal that a game ended with, or returns its exit status. `status` as wait() gives it.
int end_like(int status);

}  // namespace idlemeter
