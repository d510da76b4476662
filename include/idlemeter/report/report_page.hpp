// Idle Meter: runs as a report that opens in any browser.
#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include "idlemeter/insight/compare.hpp"
#include "idlemeter/insight/figure_set.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {

struct ReportOptions {
  std::string title = {};  ///< empty: the game and the machine
  std::string note = {};   ///< a paragraph below the title
  CompareOptions comparison = {};

  /// Frames in the plots, of all runs together. Of more, plots over time show the first, shortest, longest and last
  /// frame of each slice of time; figures are always of all frames. The file grows by about five bytes a frame.
  std::size_t most_frames = 200'000;

  bool arguments = false;  ///< whether the words that the game was started with are among the facts: see kArgumentsFact
};

/// An HTML file, complete: it loads nothing, and nothing that anybody typed can execute in it (all text is escaped, and
/// its Content-Security-Policy allows its own script alone). The summary first, then the comparison if there are
/// several groups, plots, stutters, facts and definitions; tables can be read without scripts.
///
/// Reads frames and readings from the store. O(frames + samples * readings). Throws Error as the store does, and
/// Error (misuse) if there are no runs.
[[nodiscard]] std::string report_page(const Store& store, const std::vector<RunGroup>& groups, const FigureSet& figures,
                                      const ReportOptions& options = {});

}  // namespace idlemeter
