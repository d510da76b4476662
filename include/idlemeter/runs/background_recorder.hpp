// A run written in a thread of its own, so that a disk or another program's lock delays nothing but the run itself.
#pragma once

#include <chrono>
#include <filesystem>
#include <functional>
#include <memory>
#include <span>
#include <string>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/run_sink.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {

/// Opens the store, records, and ends, all in its own thread. What is added waits in a queue that is bounded
/// (limits::kFramesToWrite, kSamplesToWrite): if it is full, the recording ends with what was added until then.
///
/// The owner's calls never wait and never throw; any thread may call them, one at a time.
class BackgroundRecorder : public RunSink {
 public:
  enum class Phase {
    opening,    ///< the store isn't open yet: it may be locked
    recording,  ///< the run has a number
    finished,   ///< all that was added is on the disk
    failed      ///< what was committed before is kept
  };
  struct State {
    Phase phase = Phase::opening;
    std::int64_t run = 0;            ///< 0 while opening
    std::string problem = {};        ///< why it failed, or why it had to end early
    std::string problem_after = {};  ///< what went wrong once the run was whole
  };

  /// Called in the recorder's thread once the run is all on the disk. What it throws becomes the `problem_after`.
  using Finished = std::function<void(const Store& store, std::int64_t run)>;

  /// Called in another thread of the recorder's, for what takes a while to find out. The end of the run waits for it
  /// for up to three seconds.
  using MoreDetails = std::function<RunDetails()>;

  BackgroundRecorder(std::filesystem::path store, RunDetails details, Recorder::Clock clock = {},
                     Finished finished = {}, MoreDetails more = {});
  BackgroundRecorder(const BackgroundRecorder&) = delete;
  BackgroundRecorder& operator=(const BackgroundRecorder&) = delete;

  /// As finish(), and waits for the store for up to five seconds; what isn't on the disk then is lost.
  ~BackgroundRecorder() override;

  /// As Recorder's.
  void add(std::span<const FrameRecord> frames) override;
  void add(Moment at, const Snapshot& snapshot) override;
  void add(const RunDetails& more);

  /// Ends the run once all that was added is written. What is added afterwards is skipped; the first end counts.
  void finish(RunEnd end = RunEnd::asked, std::uint64_t lost = 0);

  /// How many frames of the run have been lost so far. The greatest counts, for an end that comes by itself, too.
  void note_lost(std::uint64_t lost);

  /// Waits for the store no longer: what isn't on the disk within a second is lost.
  void give_up();

  [[nodiscard]] State state() const;

  /// Waits until it is finished or failed, or the time is up. False if it is up.
  [[nodiscard]] bool wait(Nanoseconds at_most) const;

 private:
  struct Shared;
  std::shared_ptr<Shared> shared_;
};

}  // namespace idlemeter
