// The simulated machine and game behind the library's real code path: kernel files, sampler, statistics, recorder.
#pragma once

#include <filesystem>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_histogram.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/computed_readings.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/live_readings.hpp"
#include "idlemeter/readings/polling.hpp"
#include "idlemeter/readings/run_sink.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/source.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/run.hpp"
#include "machine_tree.hpp"
#include "tidepool_rally.hpp"

namespace idlemeter::rig {

/// Plays *Tidepool Rally* on a simulated machine on a virtual clock. The machine writes its tree into a folder, from
/// which the machine's sources read it twice a virtual second.
class Simulation {
 public:
  /// `folder` is made and holds the tree afterwards; `library`: the management library's stand-in, for the machine that
  /// has one; `computed`: readings of the user's own.
  Simulation(const std::filesystem::path& folder, const GameSettings& settings, const Spec& spec = specs().front(),
             const std::filesystem::path& library = {}, std::vector<ComputedReading> computed = {});

  /// Statistics of frames to keep besides the usual ones.
  void ask(const std::vector<std::string>& ids);

  /// Plays on for that long. If a recorder is given, frames and readings go to it; it isn't finished.
  void play(double seconds, Recorder* recorder = nullptr);

  /// The newest readings, frames among them.
  [[nodiscard]] const Snapshot& values() const { return live_.values(); }
  [[nodiscard]] const History& history() const { return live_.history(); }

  /// Of all frames so far.
  [[nodiscard]] const FrameHistogram& frame_times() const { return frame_times_; }

  /// The folder that holds the machine's tree.
  [[nodiscard]] const std::filesystem::path& folder() const { return tree_.folder(); }

  /// What a run says about this session.
  [[nodiscard]] RunDetails details() const;

 private:
  /// Hands on to a recorder that may come and go.
  struct Relay final : RunSink {
    void add(std::span<const FrameRecord> frames) override {
      if (to != nullptr) to->add(frames);
    }
    void add(Moment at, const Snapshot& values) override {
      if (to != nullptr) to->add(at, values);
    }
    Recorder* to = nullptr;
  };

  Sources sources(const std::filesystem::path& library);
  void sample();

  GameSettings settings_;
  Machine machine_;
  Tree tree_;
  TidepoolRally game_;
  Polling polling_;
  Relay relay_;
  LiveReadings live_;
  FrameHistogram frame_times_;
  Snapshot machine_values_;
  Moment last_sample_{};
  Moment next_sample_{};
};

}  // namespace idlemeter::rig
