// Idle Meter: everything that is known of a game and its machine, now and over the last while.
#pragma once

#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/readings/computed_readings.hpp"
#include "idlemeter/readings/frame_latency.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/run_sink.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter {

/// What a game is, as far as it is known: the readings game.name, game.api and game.picture.
struct GameInfo {
  std::string name = {};     ///< "Tidepool Rally"
  std::string api = {};      ///< "Vulkan 1.3"
  std::string picture = {};  ///< "2560x1440"

  friend bool operator==(const GameInfo&, const GameInfo&) = default;
};

/// Joins the machine's readings, a game's frames and the readings computed from both, keeps their recent past for
/// traces, and hands a recording to its sink. Live games, the simulated one and recorded runs all go through this
/// class.
///
/// It has no clock and no thread: its owner passes in the time. One thread at a time.
class LiveReadings {
 public:
  /// `computed`: the user's own. Throws Error if a formula can't be read.
  explicit LiveReadings(std::vector<ComputedReading> computed = {});
  LiveReadings(LiveReadings&&) noexcept;
  LiveReadings& operator=(LiveReadings&&) noexcept;
  ~LiveReadings();

  /// Which statistics of frames are wanted beside the usual ones and those that the formulas name, replacing those of
  /// the last call. Ids of other readings are ignored. A span that was there before keeps its frames.
  void ask(const std::vector<std::string>& ids);

  void set_game(const GameInfo& game);

  /// The next frames, with times on the clock of update().
  void add(std::span<const FrameRecord> frames);

  /// What has become known of frames since.
  void add(const FrameLatency& latency);

  enum class Past { keep, skip };

  /// The values at `now`, with the machine's newest. With Past::skip they aren't in history(). A recording gets
  /// a sample twice a second, of everything but the statistics of frames, which follow from its frames.
  const Snapshot& update(const Snapshot& machine, Moment now, Past past = Past::keep);

  /// The figures of all frames so far, whatever was cleared.
  [[nodiscard]] Summary whole(const SummaryRequest& request = {}) const;

  /// Those of the last update().
  [[nodiscard]] const Snapshot& values() const;

  /// Every frame's time ("frame.time") and every number of update(), over the last minute.
  [[nodiscard]] const History& history() const;

  /// Restarts the live statistics, except those of a recording in progress.
  void clear();

  /// Starts the statistics of a recording that begins at `since` and ends at `until` (empty: with end_recording()),
  /// with frames that were added before and belong to it. They and all later ones that begin and end in that time go to
  /// `sink`, which may be nullptr and has to live until the recording ends.
  void begin_recording(RunSink* sink, Moment since, std::optional<Moment> until = {},
                       std::span<const FrameRecord> already = {});
  [[nodiscard]] bool is_recording() const;

  /// Counts a mark, recorded with the next update() together with what it is about; returns how many there are.
  int mark(const std::string& about = {});

  /// The statistics of the recording stay as they are until the next one or clear().
  void end_recording(Moment now);

  /// Nothing was recorded: its statistics go on as without a recording.
  void abandon_recording();

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace idlemeter
