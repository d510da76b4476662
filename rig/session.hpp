// The simulated machine and game behind the library's real code path: kernel files, sampler, statistics, recorder.
#pragma once

#include <filesystem>

#include "idlemeter/frame_readings.hpp"
#include "idlemeter/machine.hpp"
#include "idlemeter/recorder.hpp"
#include "idlemeter/scene.hpp"
#include "machine.hpp"
#include "tidepool_rally.hpp"

namespace idlemeter::rig {

/// Plays *Tidepool Rally* on *Bramble* on a virtual clock. The machine writes its tree into a folder, from which the
/// machine's sources read it twice a virtual second.
class Session {
 public:
  /// `folder` is made and holds the tree afterwards.
  Session(const std::filesystem::path& folder, const GameSettings& settings);

  /// Plays on for that long; frames and readings go to `recorder` too where there is one.
  void play(double seconds, Recorder* recorder = nullptr);

  /// The newest readings, frames among them.
  [[nodiscard]] const Snapshot& values() const { return values_; }
  [[nodiscard]] const History& history() const { return history_; }

  /// What a recorder is to know of this session.
  [[nodiscard]] RunDetails details() const;

 private:
  void sample(Recorder* recorder);

  GameSettings settings_;
  Machine machine_;
  Tree tree_;
  TidepoolRally game_;
  Polling polling_;
  FrameReadings frames_;
  History history_;
  Snapshot values_;
  Nanoseconds recording_since_ = 0;
  Nanoseconds next_sample_ = 0;
};

}  // namespace idlemeter::rig
