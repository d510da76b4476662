// Idle Meter: the meter that runs beside games: takes their frames, draws their overlays, records.
#pragma once

#include <chrono>
#include <filesystem>
#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "idlemeter/frame_summary.hpp"
#include "idlemeter/settings.hpp"

namespace idlemeter {

struct MeterOptions {
  std::filesystem::path folder = {};  ///< for its sockets, see meter_folder(); made with mode 0700
  Settings settings = {};

  /// The name of the face for an executable, and the file of a face by name. Both may throw Error.
  std::function<std::string(const std::filesystem::path& executable)> face_of = {};
  std::function<std::filesystem::path(const std::string& name)> file_of = {};
  std::vector<std::string> faces = {};  ///< that "the next face" goes through

  std::filesystem::path store = {};  ///< for recordings
  std::string socket = {};           ///< an existing link's name in the folder, to come back to; empty: a new one

  /// Which processes are games to lay a window above, where nothing may enter them; empty: games come with a probe.
  std::function<bool(int pid)> above = {};
  bool visible = true;
  std::function<void(const std::string&)> log = {};  ///< what a user should know, a line each
};

/// What was seen of one game.
struct GameReport {
  int pid = 0;
  std::string name, api, picture;
  std::uint64_t presents = 0;  ///< of all its windows
  std::string blind;           ///< why its frames aren't known; empty where they are
  Summary summary;             ///< of the window that counted
  bool over = false;
};

/// Listens for probes and for commands. One thread at a time.
///
/// Commands are JSON objects, a line each, on the control socket; each is answered with one, `{"ok": true, …}` or
/// `{"error": "…"}`:
///   {"do": "show" | "hide" | "toggle" | "clear" | "mark" | "state"}
///   {"do": "face", "name": "strip"}, or without a name: the next
///   {"do": "record", "what": "start" | "stop" | "toggle", "for": seconds, "after": seconds}
///   {"do": "hand over"}: lets its games go, so that another meter may listen to their socket
class Meter {
 public:
  /// Throws Error where the sockets can't be made, or the display can't have windows above games.
  explicit Meter(MeterOptions options);
  Meter(const Meter&) = delete;
  Meter& operator=(const Meter&) = delete;
  ~Meter();

  /// The socket that probes connect to: what a game's environment has to name.
  [[nodiscard]] std::filesystem::path link_socket() const;

  /// Calls back in run() while the descriptor is readable.
  void watch(int fd, std::function<void()> ready);

  /// Runs until stop(), called from a callback. The running loop doesn't throw.
  void run();
  void stop();

  /// Whether any game is here that presents; a peer that only keeps its socket open isn't one.
  [[nodiscard]] bool has_games() const;
  [[nodiscard]] std::vector<GameReport> reports();

  /// Begins a recording of the next game that presents, or the present one, for so long (0: until told).
  void record(double seconds, double after);

  /// Whether a recording that was asked for has yet to begin.
  [[nodiscard]] bool has_plan() const;

  /// Ends the recording, if one is at work, and waits for the disk for up to five seconds. Called by the destructor
  /// too.
  void end_recordings();

  /// Why recordings failed or had to end early, a sentence each; known in full after end_recordings().
  [[nodiscard]] std::vector<std::string> recording_problems() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// $XDG_RUNTIME_DIR/idlemeter, else /tmp/idlemeter-UID.
[[nodiscard]] std::filesystem::path meter_folder();

/// Sends a command to a running meter and returns its answer, both JSON. Throws Error where nobody answers within two
/// seconds.
[[nodiscard]] std::string tell_meter(const std::filesystem::path& control_socket, const std::string& command);

/// The control sockets of the meters that run in a folder, by process.
struct RunningMeter {
  int pid = 0;
  std::filesystem::path control;
};
[[nodiscard]] std::vector<RunningMeter> running_meters(const std::filesystem::path& folder = meter_folder());

}  // namespace idlemeter
