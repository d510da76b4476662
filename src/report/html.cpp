#include "report/html.hpp"

#include <fmt/format.h>

#include "idlemeter/base/text.hpp"

namespace idlemeter::report {

std::string html(std::string_view text) {
  std::string safe;
  for (const char c : printable(text, "\n\t")) {
    switch (c) {
      case '&':
        safe += "&amp;";
        break;
      case '<':
        safe += "&lt;";
        break;
      case '>':
        safe += "&gt;";
        break;
      case '"':
        safe += "&quot;";
        break;
      case '\'':
        safe += "&#39;";
        break;
      default:
        safe += c;
    }
  }
  return safe;
}

std::string row(const std::vector<Cell>& cells) {
  std::string text = "<tr>";
  for (const Cell& cell : cells) {
    if (cell.kind == Cell::Kind::row_head) text += "<th scope=\"row\">" + cell.content + "</th>";
    if (cell.kind == Cell::Kind::number) text += "<td class=\"number\">" + cell.content + "</td>";
    if (cell.kind == Cell::Kind::words) text += "<td class=\"words\">" + cell.content + "</td>";
    if (cell.kind == Cell::Kind::text) text += "<td>" + cell.content + "</td>";
  }
  return text + "</tr>\n";
}

std::string head(const std::vector<Cell>& cells) {
  std::string text = "<thead><tr>";
  for (const Cell& cell : cells)
    text += fmt::format("<th scope=\"col\"{}>{}</th>", cell.kind == Cell::Kind::number ? " class=\"number\"" : "",
                        cell.content);
  return text + "</tr></thead>\n";
}

std::string table(const std::string& label, const std::string& head, const std::string& rows) {
  return fmt::format(
      "<div class=\"wide\" role=\"region\" aria-label=\"{}\" tabindex=\"0\"><table>{}<tbody>{}</tbody></table></div>\n",
      html(label), head, rows);
}

std::string section(const char* id, const char* title, const std::string& content) {
  return fmt::format("<section id=\"{0}\" aria-labelledby=\"{0}-title\"><h2 id=\"{0}-title\">{1}</h2>\n{2}</section>\n",
                     id, title, content);
}

std::string list(const char* style, const std::vector<std::string>& lines) {
  if (lines.empty()) return "";
  std::string text = fmt::format("<ul class=\"{}\">", style);
  for (const std::string& line : lines) text += "<li>" + line + "</li>";
  return text + "</ul>\n";
}

}  // namespace idlemeter::report
