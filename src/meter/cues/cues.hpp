// Cues as tones, notifications and spoken words.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "idlemeter/settings/settings.hpp"
#include "meter/cues/cue.hpp"

namespace idlemeter::meter {

/// Gives cues in the ways that the user has chosen: tones through the desktop's sound server (PulseAudio's protocol,
/// which PipeWire speaks too), notifications over the session bus (org.freedesktop.Notifications), words through the
/// speech dispatcher. Each way has a thread of its own, so that neither the other ways nor the caller wait for it.
///
/// One thread at a time.
class Cues {
 public:
  explicit Cues(CueChoices choices);
  Cues(const Cues&) = delete;
  Cues& operator=(const Cues&) = delete;

  /// Waits up to two seconds for the cues that are still to be given.
  ~Cues();

  /// Returns at once.
  void give(const Cue& cue);

  /// Why cues couldn't be given: a line for the first failure of each way, reported once.
  [[nodiscard]] std::vector<std::string> problems();

 private:
  struct Channel;
  CueChoices choices_;
  std::vector<std::shared_ptr<Channel>> channels_;  // by way; nullptr if no cue uses it
};

/// Why cues can't be given in this way here; "" if they can. Gives none. May wait as long as the server.
[[nodiscard]] std::string problem_with(CueWay way);

}  // namespace idlemeter::meter
