// Idle Meter: a face as lines of text, for a terminal.
#pragma once

#include <string>

#include "idlemeter/face/face.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter {

struct TerminalStyle {
  int width = 100;  ///< characters; a flow in a line wraps there. Other lines are as long as their rows
  enum class Colors { none, some, full } colors = Colors::full;  ///< of 256, or 24 bits
};

/// Rows as lines with labels and values in columns, traces in braille characters, rings and reels as bars, then pins
/// from top to bottom with their places; each line ends with a line end. For people: nothing parses it.
[[nodiscard]] std::string to_terminal(const Face& face, const Snapshot& values, const History& history,
                                      const TerminalStyle& style = {});

}  // namespace idlemeter
