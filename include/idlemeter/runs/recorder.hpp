// Idle Meter: writes a run into a store while it is played.
#pragma once

#include <functional>
#include <memory>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/run_sink.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {

/// Takes frames and readings as they come and commits them at least once a second, so that a crash, of the program or
/// of the machine, loses at most the last second.
///
/// One thread at a time; the store must outlive it. Calls throw Error if the store can't be written; what was
/// committed before stays.
class Recorder : public RunSink {
 public:
  using Clock = std::function<Moment()>;

  /// Begins a run. `clock` (monotonic) decides when to commit; it is asked once a frame.
  Recorder(Store& store, const RunDetails& details, Clock clock = {});
  Recorder(const Recorder&) = delete;
  Recorder& operator=(const Recorder&) = delete;

  /// Commits everything added so far; the run counts as unfinished unless finish() was called.
  ~Recorder() override;

  /// Adds the next frame; `at` doesn't decrease. A frame with impossible times (a moment after kLatestMoment, an
  /// interval under a nanosecond) is only counted.
  void add(const FrameRecord& frame);
  void add(std::span<const FrameRecord> frames) override;

  /// How many frames were only counted.
  [[nodiscard]] std::uint64_t refused() const;

  /// What the readings are at that moment of the run. Readings may come and go during a run.
  void add(Moment at, const Snapshot& snapshot) override;

  /// Adds to what is known of the run: a setting or fact replaces the one of its name, a note goes on a line of its own
  /// below the existing one. The game's name stays.
  void add(const RunDetails& more);

  /// Commits now.
  void flush();

  /// Ends the run and returns its id. Adding anything after it, or ending it again, throws Error (misuse). `lost`:
  /// see RunInfo.
  std::int64_t finish(RunEnd end = RunEnd::asked, std::uint64_t lost = 0);

  [[nodiscard]] std::int64_t id() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace idlemeter
