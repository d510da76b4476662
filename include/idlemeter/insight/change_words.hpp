// Idle Meter: what changed during a run, as paragraphs.
#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include "idlemeter/insight/changes.hpp"

namespace idlemeter {

/// Whether a change can be seen in a plot of the whole series: a quarter of what the reading went through, and a
/// twentieth of its level.
[[nodiscard]] bool is_plain_to_see(const ReadingChange& change);

/// The events in the order in which they matter: by how much of the frame rate or frame time changed, then by how much
/// of what a reading went through did. Without `all` only those in which something is plain to see. In each, the
/// reading that leads comes first, then the one that says most of each device, then the others by the same measure; a
/// reading that mirrors another (memory used and available) is left out.
[[nodiscard]] std::vector<ChangeEvent> foremost_events(const Changes& changes, bool all = false);

struct ChangeTextOptions {
  bool all = false;          ///< every change and every reading
  std::size_t events = 4;    ///< paragraphs, unless all are wanted
  std::size_t readings = 7;  ///< beside the one that leads, of the first paragraph; of the others fewer
};

/// A paragraph for each event, the one that matters most first:
///
///     16:00  frame rate fell from 101.6 to 72.5 FPS (29 % less)
///            16:00  median frame time  9.8 → 13.0 ms
///            16:04  memory used  14653 → 16589 MiB
///            as before: GPU load, GPU core clock
///
/// then what is odd, a line for each reading, and how much is hidden. Empty if nothing changed.
[[nodiscard]] std::string changes_text(const Changes& changes, const ChangeTextOptions& how = {});

}  // namespace idlemeter
