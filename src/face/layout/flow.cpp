#include "face/layout/flow.hpp"

#include <algorithm>

#include "idlemeter/face/face.hpp"

namespace idlemeter::face {
namespace {

namespace {

double width_of_cells(const FlowBlock& block, const FlowRow& row, const FlowGaps& gaps) {
  double width = -gaps.cells;
  for (std::size_t i = 0; i < row.cells.size(); ++i) width += block.room(row, i) + gaps.cells;
  return std::max(width, 0.0);
}

}  // namespace

FlowBlock block_of(std::span<const FlowRow> all, std::size_t first, std::size_t count, const FlowGaps& gaps) {
  FlowBlock block{.first = first, .rows = count};
  const auto rows = all.subspan(first, count);
  for (const FlowRow& row : rows) {
    block.label = std::max(block.label, row.label);
    block.columns.resize(std::max(block.columns.size(), row.cells.size()));
    for (std::size_t i = 0; i < row.cells.size(); ++i) {
      if (row.lines_up[i]) block.columns[i] = std::max(block.columns[i], row.cells[i]);
    }
  }
  for (const FlowRow& row : rows)
    block.width = std::max(block.width, (row.wide ? 0 : block.label) + width_of_cells(block, row, gaps));
  return block;
}

/// As many rows in each column as are needed for the last one to be the shortest.
FlowLine columns_of(const Face& face, std::span<const FlowRow> rows, const FlowGaps& gaps) {
  const std::size_t columns = std::clamp<std::size_t>(rows.size(), 1, static_cast<std::size_t>(face.columns));
  const std::size_t each = (rows.size() + columns - 1) / columns;
  FlowLine line;
  for (std::size_t first = 0; first < rows.size(); first += each)
    line.push_back(block_of(rows, first, std::min(each, rows.size() - first), gaps));
  return line;
}

/// One row after another; a new line once the one before has its share of the whole width, or has no more room.
std::vector<FlowLine> wrapped(const Face& face, std::span<const FlowRow> rows, const FlowGaps& gaps, double most) {
  std::vector<FlowBlock> blocks;
  double whole = 0;
  for (std::size_t i = 0; i < rows.size(); ++i) {
    blocks.push_back(block_of(rows, i, 1, gaps));
    whole += blocks.back().width;
  }
  std::vector<FlowLine> lines(1);
  double content = 0, width = 0;  // of the line: its blocks, and its blocks with the gaps
  std::size_t shares = 1;
  for (FlowBlock& block : blocks) {
    const double gap = gaps.blocks + rows[block.first].space_before;
    const bool has_share =
        content > whole / face.lines - block.width / 2 && shares < static_cast<std::size_t>(face.lines);
    const bool has_no_room = width + gap + block.width > most;
    if (!lines.back().empty() && (has_share || has_no_room)) {
      shares += has_share ? 1 : 0;
      content = has_share ? 0 : content;
      width = 0;
      lines.emplace_back();
    }
    content += block.width;
    width += block.width + (lines.back().empty() ? 0 : gap);
    lines.back().push_back(std::move(block));
  }
  return lines;
}

}  // namespace

std::vector<FlowLine> flow_of(const Face& face, std::span<const FlowRow> rows, const FlowGaps& gaps, double most) {
  if (rows.empty()) return {};
  if (face.flow == Flow::stack) return {{block_of(rows, 0, rows.size(), gaps)}};
  return face.flow == Flow::columns ? std::vector<FlowLine>{columns_of(face, rows, gaps)}
                                    : wrapped(face, rows, gaps, most);
}

}  // namespace idlemeter::face
