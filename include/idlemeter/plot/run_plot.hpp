// Idle Meter: runs over each other in one plot.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/plot/plot.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {

/// As many as there are colours that can be told apart.
inline constexpr std::size_t kMostPlottedRuns = 6;

struct RunPlotOptions {
  enum class What : std::uint8_t {
    time,        ///< frame rate and frame times over time, and readings below
    spread,      ///< how frame times are spread
    percentiles  ///< of frame time
  } what = What::time;
  std::vector<std::string> readings = {};                        ///< ids; over time
  std::optional<std::pair<Nanoseconds, Nanoseconds>> span = {};  ///< over time: only from the first to the second
  int width = 1280, height = 720;
  bool dark = false;
};

/// Over time, the marks of a single run are in it; of a log, the runs that were played meanwhile. Throws Error if there
/// are more runs than colours, if a run or a reading doesn't exist, if there are neither frames nor readings, or as the
/// store does. O(frames).
[[nodiscard]] Plot run_plot(const Store& store, std::span<const std::int64_t> runs, const RunPlotOptions& options = {});

}  // namespace idlemeter
