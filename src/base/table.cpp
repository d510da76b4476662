#include "idlemeter/base/table.hpp"

#include <algorithm>

#include "idlemeter/base/text.hpp"

namespace idlemeter {

void Table::add(std::vector<std::string> row) {
  for (std::string& cell : row) cell = printable(cell);
  rows_.push_back(std::move(row));
}

std::string Table::line(const std::vector<std::string>& row, const std::vector<std::size_t>& widths) const {
  std::string line;
  for (std::size_t i = 0; i < row.size(); ++i) {
    const std::size_t width = columns(row[i]);
    const std::string fill(row.size() > 1 && widths[i] > width ? widths[i] - width : 0, ' ');
    line += columns_[i] == Align::right && row.size() > 1 ? fill + row[i] : row[i] + fill;
    if (i + 1 < row.size()) line += "  ";
  }
  return line;
}

std::string Table::text(std::string_view indent) const {
  std::vector<std::size_t> widths(columns_.size());
  for (const auto& row : rows_) {
    for (std::size_t i = 0; row.size() > 1 && i < row.size(); ++i) widths[i] = std::max(widths[i], columns(row[i]));
  }
  std::string text;
  for (const auto& row : rows_) {
    const std::string whole = std::string(indent) + line(row, widths);
    text += whole.substr(0, whole.find_last_not_of(' ') + 1) + "\n";
  }
  return text;
}

}  // namespace idlemeter
