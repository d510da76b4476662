// Idle Meter: columns of text.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace idlemeter {

/// Rows of cells, written with columns as wide as their widest cell. Widths are columns of a terminal:
/// idlemeter/base/text.hpp.
class Table {
 public:
  enum class Align : std::uint8_t { left, right };

  explicit Table(std::vector<Align> columns) : columns_(std::move(columns)) {}

  /// A cell is one line of visible characters, whatever its text holds.
  void add(std::vector<std::string> row);

  /// A line of its own between rows.
  void add_line(std::string text) { rows_.push_back({std::move(text)}); }

  /// Two blanks between columns, none at the ends of lines; each line starts with `indent` and ends with a line end.
  [[nodiscard]] std::string text(std::string_view indent = "") const;

 private:
  [[nodiscard]] std::string line(const std::vector<std::string>& row, const std::vector<std::size_t>& widths) const;

  std::vector<Align> columns_;
  std::vector<std::vector<std::string>> rows_;
};

}  // namespace idlemeter
