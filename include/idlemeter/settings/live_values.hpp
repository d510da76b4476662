// Idle Meter: the values of this machine over time, without a game: for a preview, a list, a page.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/settings/settings.hpp"

namespace idlemeter {

struct LiveValuesOptions {
  std::string root = "/";                  ///< see MachineOptions::root
  int game = 0;                            ///< the process whose readings are taken too; 0: none
  std::vector<std::string> readings = {};  ///< statistics of frames beside the usual ones
};

/// A machine's readings, the user's own among them, sampled in a thread at the pace of the settings. One thread at a
/// time.
class LiveValues {
 public:
  /// Waits until loads and rates are known, which takes two samples. Throws Error if a formula or the feed's socket
  /// can't be made.
  explicit LiveValues(const Settings& settings, const LiveValuesOptions& options = {});
  LiveValues(LiveValues&&) noexcept;
  ~LiveValues();

  /// Replaces LiveValuesOptions::readings.
  void ask(const std::vector<std::string>& readings);

  /// The newest values. The reference holds until the next call.
  const Snapshot& update();

  /// Everything that update() has returned over the last minute.
  [[nodiscard]] const History& history() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// What this machine has, with the user's own readings and statistics of frames (`ids`): sampled once, without running
/// commands or listening to the feed, so that it takes only a moment. Those readings are there as missing.
[[nodiscard]] Snapshot readings_here(const Settings& settings, const std::vector<std::string>& ids);

}  // namespace idlemeter
