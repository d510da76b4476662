// Where the values that a command shows come from: this machine, a tree, or the simulated machine.
#pragma once

#include <functional>
#include <memory>
#include <string>

#include "arguments.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_histogram.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/settings/settings.hpp"

namespace idlemeter::cli {

/// Options that several commands have.
struct ValueOptions {
  std::string root = "/";
  std::string rig;       ///< the kind of simulated machine; empty: this machine
  std::string settings;  ///< the settings file; empty: the usual one if it exists
  int game = 0;          ///< process
};

/// Reads "1920x1080"; "" or what is wrong.
std::string read_size(const std::string& text, int& width, int& height);

/// The same for an option that is read later.
Check is_size();

/// Reads how often something is looked at, "1s" or "500ms": from 100 ms to an hour. "" or what is wrong.
std::string read_every(const std::string& text, Nanoseconds& every);

/// The store with the runs, unless it is named: as the usual settings say, else Store::usual_path(). Settings with a
/// mistake are warned of, once, and say nothing.
[[nodiscard]] std::string usual_store();

/// Adds --root, --rig, --settings and --game.
void add_value_options(Command command, ValueOptions& options);

/// Values over time, the user's own readings among them. On the simulated machine time is virtual and passes when
/// asked.
class Values {
 public:
  /// Starts sampling; a load is known from the second sample on, so that the first snapshot takes a moment. Throws
  /// Error.
  ///
  /// `ids`: statistics of frames beside the usual ones.
  explicit Values(const ValueOptions& options, const std::vector<std::string>& ids = {});
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

}  // namespace idlemeter::cli
