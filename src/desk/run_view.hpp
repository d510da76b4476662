// One run as the page shows it: figures, plots in as much detail as can be seen, what was unusual.
#pragma once

#include <memory>
#include <mutex>
#include <string>
#include <vector>

#include "desk/runs.hpp"
#include "desk/wire.hpp"
#include "idlemeter/frames/frame_record.hpp"

namespace idlemeter::desk {

/// Any thread. Everything throws Error.
class RunView {
 public:
  explicit RunView(const Runs& runs) : runs_(runs) {}

  /// What people quote, in numbers and words, and the doubts.
  [[nodiscard]] Json figures(const http::Request& request);

  /// What takes longer to find out: the worst hitches with what else was unusual, and how sure the figures are.
  [[nodiscard]] Json details(const http::Request& request);

  /// Frame times and readings of a span, in at most four points for each column of pixels.
  [[nodiscard]] Json lines(const http::Request& request);

 private:
  using Frames = std::shared_ptr<const std::vector<FrameRecord>>;

  /// The frames of the run that was looked at last are kept.
  [[nodiscard]] Frames frames_of(const Store& store, const RunInfo& run);

  const Runs& runs_;
  std::mutex mutex_;
  std::string kept_;  ///< which run, and how much of it
  Frames frames_;
};

}  // namespace idlemeter::desk
