// How rows are grouped, in a unit of length without a name.
#include "face/layout/flow.hpp"

#include <gtest/gtest.h>

#include <string>

namespace idlemeter::face {
namespace {

constexpr FlowGaps kGaps{1, 3};

/// A row with a label of that width and cells that line up.
FlowRow row(double label, std::vector<double> cells) {
  FlowRow made{.label = label, .cells = std::move(cells)};
  made.lines_up.assign(made.cells.size(), true);
  return made;
}

/// "0-1 2 | 3": blocks by their rows, lines apart by "|".
std::string text_of(const std::vector<FlowLine>& lines) {
  std::string text;
  for (const FlowLine& line : lines) {
    if (!text.empty()) text += " |";
    for (const FlowBlock& block : line) {
      text += (text.empty() ? "" : " ") + std::to_string(block.first);
      if (block.rows > 1) text += "-" + std::to_string(block.first + block.rows - 1);
    }
  }
  return text;
}

TEST(Flow, GroupsRowsAsTheFaceSays) {
  const struct {
    Flow flow;
    int columns, lines;
    std::vector<double> widths;
    double most;
    const char* grouped;
  } cases[] = {
      {Flow::stack, 2, 1, {4, 4, 4}, 1e9, "0-2"},
      {Flow::stack, 2, 1, {4, 4, 4}, 1, "0-2"},
      {Flow::columns, 2, 1, {4, 4, 4, 4, 4}, 1e9, "0-2 3-4"},
      {Flow::columns, 3, 1, {4, 4, 4, 4}, 1e9, "0-1 2-3"},
      {Flow::columns, 8, 1, {4, 4}, 1e9, "0 1"},
      {Flow::line, 2, 1, {4, 4, 4}, 1e9, "0 1 2"},
      {Flow::line, 2, 2, {4, 4, 4, 4}, 1e9, "0 1 | 2 3"},
      {Flow::line, 2, 2, {12, 2, 2, 2}, 1e9, "0 | 1 2 3"},
      {Flow::line, 2, 9, {4, 4}, 1e9, "0 | 1"},
      {Flow::line, 2, 1, {4, 4, 4}, 12, "0 1 | 2"},  // 4 + 3 + 4 fit, 3 + 4 more don't
      {Flow::line, 2, 1, {20, 4}, 12, "0 | 1"},
      {Flow::line, 2, 1, {}, 12, ""},
  };
  for (const auto& c : cases) {
    Face face;
    face.flow = c.flow;
    face.columns = c.columns;
    face.lines = c.lines;
    std::vector<FlowRow> rows;
    for (const double width : c.widths) rows.push_back(row(0, {width}));
    EXPECT_EQ(text_of(flow_of(face, rows, kGaps, c.most)), c.grouped);
  }
}

TEST(Flow, LinesUpLabelsAndTextCells) {
  std::vector<FlowRow> rows = {row(5, {3, 8}), row(2, {6}), row(0, {40})};
  rows[1].lines_up[0] = false;  // a trace has its own width
  rows[2].lines_up[0] = false;
  rows[2].wide = true;
  const FlowBlock block = flow_of(Face{}, rows, kGaps, 1e9).at(0).at(0);
  EXPECT_EQ(block.label, 5);
  EXPECT_EQ(block.columns, (std::vector<double>{3, 8}));
  EXPECT_EQ(block.room(rows[0], 1), 8);
  EXPECT_EQ(block.room(rows[1], 0), 6);
  EXPECT_EQ(block.width, 40) << "a wide row begins where labels do";
}

}  // namespace
}  // namespace idlemeter::face
