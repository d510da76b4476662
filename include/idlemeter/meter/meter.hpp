// Idle Meter: the meter that runs beside games: takes their frames, draws their overlays, records.
#pragma once

#include <chrono>
#include <filesystem>
#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/meter/recording_plan.hpp"
#include "idlemeter/settings/settings.hpp"

namespace idlemeter {

struct MeterOptions {
  std::filesystem::path folder = {};  ///< for its sockets, see meter_folder(); made with mode 0700
  Settings settings = {};

  /// The name of the face for an executable, and the file of a face by name. Both may throw Error.
  std::function<std::string(const std::filesystem::path& executable)> face_of = {};
  std::function<std::filesystem::path(const std::string& name)> file_of = {};
  std::vector<std::string> faces = {};  ///< that "the next face" goes through

  std::string game_name = {};  ///< what the game is called in runs and on faces; empty: as its program

  std::filesystem::path store = {};  ///< for recordings
  std::string socket = {};           ///< an existing link's name in the folder, to reattach to; empty: a new one

  /// Which processes are games to lay a window above, if nothing may enter them; empty: games come with a probe.
  std::function<bool(int pid)> above = {};
  bool visible = true;
  std::function<void(const std::string&)> log = {};  ///< what a user should know, a line each

  /// Asked when a game goes without closing: whether it was ended on purpose. Empty: it crashed or was killed.
  std::function<bool()> is_ending = {};

  /// Called in run(), once for each plan, if no frame has been seen for 15 seconds that could begin it.
  std::function<void()> is_silent = {};

  /// Called in run() once all runs of a plan are on the disk or have failed.
  std::function<void()> plan_is_over = {};
};

/// What was seen of one game.
struct GameReport {
  int pid = 0;
  std::string name, api, picture;
  std::uint64_t presents = 0;  ///< of all its windows
  std::string blind;           ///< why its frames aren't known; empty if they are
  Summary summary;             ///< of the window that counted
  bool over = false;
};

/// Listens for probes and for commands. One thread at a time.
///
/// Commands are JSON objects, a line each, on the control socket; each is answered with one:
/// idlemeter/meter/command.hpp.
class Meter {
 public:
  /// Throws Error if the sockets can't be made, or the display can't have windows above games.
  explicit Meter(MeterOptions options);
  Meter(const Meter&) = delete;
  Meter& operator=(const Meter&) = delete;
  ~Meter();

  /// The socket that probes connect to: what a game's environment has to name.
  [[nodiscard]] std::filesystem::path link_socket() const;

  /// Calls back in run() while the descriptor is readable.
  void watch(int fd, std::function<void()> ready);
  void unwatch(int fd);

  /// Runs until stop(), called from a callback. The running loop doesn't throw.
  void run();
  void stop();

  /// True if a connected game has presented a frame; a peer that only keeps its socket open hasn't.
  [[nodiscard]] bool has_games() const;
  [[nodiscard]] std::vector<GameReport> reports();

  /// With windows above games: which kind of games can't have one on this machine, and why. Else empty.
  [[nodiscard]] std::string unseen_games() const;

  /// Begins recordings of the next game that presents, or the present one. Throws Error if the plan can't be: a time
  /// beyond a day, repeated runs without a length.
  void record(const RecordingPlan& plan);

  /// Whether a recording that was planned hasn't started yet.
  [[nodiscard]] bool has_plan() const;

  /// Ends the recording, if one is in progress, and waits for the disk for up to five seconds. Called by the destructor
  /// too.
  void end_recordings();

  /// Every recording that has ended, in order; complete after end_recordings().
  [[nodiscard]] std::vector<RecordedRun> recorded() const;

  /// Why recordings failed or had to end early, a sentence each; known in full after end_recordings().
  [[nodiscard]] std::vector<std::string> recording_problems() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace idlemeter
