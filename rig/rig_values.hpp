// Values over time: of this machine, of a tree that looks like one, or of the simulated machine.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "idlemeter/frames/frame_histogram.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter::rig {

/// Which values.
struct ValueOptions {
  std::string root = "/";
  std::string rig;       ///< the kind of simulated machine; empty: this machine
  std::string settings;  ///< the settings file; empty: the usual one if it exists
  int game = 0;          ///< process
  bool plain = false;    ///< without the user's own readings: the settings aren't read
};

/// The user's own readings among them. On the simulated machine time is virtual and passes when asked.
class Values {
 public:
  /// Starts sampling; a load is known from the second sample on, so that the first snapshot takes a moment. Throws
  /// Error.
  ///
  /// `ids`: statistics of frames beside the usual ones; `rest`: lets so many seconds pass.
  Values(const ValueOptions& options, const std::vector<std::string>& ids, std::function<void(double)> rest);
  Values(Values&&) noexcept;
  ~Values();

  /// From now on also these statistics of frames.
  void ask(const std::vector<std::string>& ids);

  /// The newest values, after `seconds` more have passed (0: now).
  Snapshot next(double seconds);

  /// The tree that the values come from; "/" for this machine.
  [[nodiscard]] std::string root() const;

  /// On the simulated machine: all frames of its game so far.
  [[nodiscard]] FrameHistogram frame_times() const;

  /// Everything that next() has returned, and on the simulated machine every frame.
  [[nodiscard]] const History& history() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace idlemeter::rig
