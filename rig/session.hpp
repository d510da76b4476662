// The simulated machine and game behind the library's real code path: kernel files, sampler, statistics, recorder.
#pragma once

#include <filesystem>

#include "idlemeter/frame_readings.hpp"
#include "idlemeter/machine.hpp"
#include "idlemeter/recorder.hpp"
#include "idlemeter/scene.hpp"
#include "machine_tree.hpp"
#include "tidepool_rally.hpp"

namespace idlemeter::rig {

/// Plays *Tidepool Rally* on a simulated machine on a virtual clock. The machine writes its tree into a folder, from
/// which the machine's sources read it twice a virtual second.
class Session {
 public:
  /// `folder` is made and holds the tree afterwards; `library`: the management library's stand-in, for the machine that
  /// has one.
  Session(const std::filesystem::path& folder, const GameSettings& settings, const Spec& spec = specs().front(),
          const std::filesystem::path& library = {});

  /// From now on also these statistics of frames.
  void ask(const std::vector<std::string>& ids);

  /// Plays on for that long; frames and readings go to `recorder` too where there is one: it stays at work afterwards.
  void play(double seconds, Recorder* recorder = nullptr);

  /// The newest readings, frames among them.
  [[nodiscard]] const Snapshot& values() const { return values_; }
  [[nodiscard]] const History& history() const { return history_; }

  /// The folder that holds the machine's tree.
  [[nodiscard]] const std::filesystem::path& folder() const { return tree_.folder(); }

  /// What a recorder is to know of this session.
  [[nodiscard]] RunDetails details() const;

 private:
  Sources sources(const std::filesystem::path& library);
  void sample(Recorder* recorder);

  GameSettings settings_;
  Machine machine_;
  Tree tree_;
  TidepoolRally game_;
  Polling polling_;
  FrameReadings frames_;
  History history_;
  Snapshot machine_values_, values_;
  Nanoseconds last_sample_ = 0;
  Nanoseconds recording_since_ = 0;
  Nanoseconds next_sample_ = 0;
};

}  // namespace idlemeter::rig
