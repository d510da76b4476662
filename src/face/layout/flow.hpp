// How the rows of a face are grouped: the same in pixels and in a terminal's characters.
#pragma once

#include <cstddef>
#include <span>
#include <vector>

#include "idlemeter/face/face.hpp"

namespace idlemeter::face {

/// What flows, in any unit of length.
struct FlowRow {
  double label = 0;                 ///< width with the gap after it; 0: no label
  std::vector<double> cells = {};   ///< widths
  std::vector<bool> lines_up = {};  ///< whether the n-th cell's width is shared by all rows of its block
  bool wide = false;                ///< begins at the left edge, where labels do
  double space_before = 0;          ///< in a line: beyond the usual gap between blocks
};

struct FlowGaps {
  double cells = 0;   ///< between cells of a row
  double blocks = 0;  ///< between blocks of a line
};

/// Rows below each other whose labels and text cells line up.
struct FlowBlock {
  std::size_t first = 0, rows = 0;
  double label = 0;
  std::vector<double> columns = {};  ///< width of the n-th cell that lines up
  double width = 0;

  /// The room that a cell of a row gets.
  [[nodiscard]] double room(const FlowRow& row, std::size_t cell) const {
    return row.lines_up[cell] ? columns[cell] : row.cells[cell];
  }
};

using FlowLine = std::vector<FlowBlock>;

/// The face's flow as lines of blocks: one block in a stack, one for each column, one for each row of a line. A line
/// wraps into as many as the face asks for, and where it would be wider than `most`.
std::vector<FlowLine> flow_of(const Face& face, std::span<const FlowRow> rows, const FlowGaps& gaps, double most);

}  // namespace idlemeter::face
