#include "idlemeter/insight/comparison_text.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>

#include "base/csv.hpp"
#include "idlemeter/base/table.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/insight/words.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter {
namespace {

using namespace base;
using enum Table::Align;

std::string mark(const ComparedFigure& figure, std::size_t group) {
  return figure.best == group ? "best" : figure.worst == group ? "worst" : "";
}

std::vector<std::string> difference_cells(const ComparedFigure& figure, const ComparedGroup& group) {
  if (!group.difference) return {"", "", "no figure"};
  return {amount_words(figure.info, *group.difference, group.difference->value),
          interval_words(figure.info, *group.difference), verdict_words(figure.info, *group.difference)};
}

std::vector<std::string> row_of(const Comparison& comparison, const ComparedFigure& figure, std::size_t g) {
  const ComparedGroup& group = figure.groups[g];
  std::vector<std::string> row = {printable(comparison.names[g]),
                                  fmt::format("{} run{}", group.values.size(), group.values.size() == 1 ? "" : "s"),
                                  mean_words(figure, group)};
  const std::vector<std::string> cells =
      g == comparison.base ? std::vector<std::string>{"", "", "base"} : difference_cells(figure, group);
  row.insert(row.end(), cells.begin(), cells.end());
  row.push_back(mark(figure, g));
  return row;
}

/// Escapes what Markdown, or HTML inside it, would interpret.
std::string escaped(const std::string& text) {
  std::string safe;
  for (const char c : printable(text)) {
    if (std::string_view("\\`*_{}[]<>()#+!|~&").find(c) != std::string_view::npos) safe += '\\';
    safe += c;
  }
  return safe;
}

/// Odd runs, and the doubts about runs.
std::vector<std::string> warnings_of(const Comparison& comparison) {
  std::vector<std::string> lines = odd_run_words(comparison);
  for (std::string& line : doubt_words(comparison)) lines.push_back(std::move(line));
  return lines;
}

std::string others_text(const Comparison& comparison) {
  Table others(std::vector<Table::Align>(comparison.names.size() + 1, left));
  std::vector<std::string> head = {"What else differs"};
  for (const std::string& name : comparison.names) head.push_back(printable(name));
  others.add(head);
  for (const OtherDifference& other : comparison.others) {
    std::vector<std::string> row = {"  " + printable(other.what)};
    for (const std::string& value : other.values) row.push_back(printable(value));
    others.add(row);
  }
  return others.text();
}

void add_row(CsvWriter& csv, const Comparison& comparison, const ComparedFigure& figure, std::size_t g) {
  const ComparedGroup& group = figure.groups[g];
  csv.text(figure.info.id).text(symbol(figure.info.unit)).text(comparison.names[g]);
  csv.number(group.values.size()).number(group.mean).number(group.spread).raw(g == comparison.base ? "yes" : "");
  const auto& d = group.difference;
  if (d) {
    csv.number(d->value).raw(d->scale == Scale::ratio ? "a share of the base" : "in the unit");
    csv.number(d->low).number(d->high).number(d->p_welch).number(d->p_permutation).text(name_of(d->verdict));
    d->runs_needed ? csv.number(*d->runs_needed) : csv.empty();
  } else {
    for (int i = 0; i < 8; ++i) csv.empty();
  }
  csv.raw(mark(figure, g)).end_line();
}

}  // namespace

std::string comparison_text(const Comparison& comparison, const DifferenceRules& rules) {
  std::string text;
  Table table({left, right, right, right, right, left});
  for (const ComparedFigure& figure : comparison.figures) {
    table.add_line((&figure == &comparison.figures.front() ? "" : "\n") + with_unit(figure.info.title, figure.info));
    for (std::size_t g = 0; g < figure.groups.size(); ++g) {
      auto row = row_of(comparison, figure, g);
      row.front().insert(0, "  ");
      const std::string mark = row.back();
      row.pop_back();
      if (!mark.empty()) row.back() += ", " + mark;
      table.add(row);
    }
  }
  text += table.text();
  const std::vector<std::string> lines = warnings_of(comparison);
  for (const std::string& line : lines) text += (&line == &lines.front() ? "\n" : "") + fmt::format("! {}\n", line);
  if (!comparison.others.empty()) text += "\n" + others_text(comparison);
  return text + fmt::format(
                    "\nRuns' {}, and their spread from run to run; differences of the means to the base with {:.0f} % "
                    "intervals (Welch).\n",
                    kind_of_means(comparison), 100 * rules.confidence);
}

std::string comparison_markdown(const Comparison& comparison) {
  std::string text;
  for (const ComparedFigure& figure : comparison.figures) {
    text += fmt::format("**{}**\n\n| | runs | mean ± spread | difference | 95 % interval | | |\n",
                        escaped(with_unit(figure.info.title, figure.info)));
    text += "| --- | ---: | ---: | ---: | ---: | --- | --- |\n";
    for (std::size_t g = 0; g < figure.groups.size(); ++g) {
      std::vector<std::string> row = row_of(comparison, figure, g);
      row[0] = escaped(comparison.names[g]);
      row[1] = fmt::format("{}", figure.groups[g].values.size());
      text += fmt::format("| {} |\n", fmt::join(row, " | "));
    }
    text += "\n";
  }
  for (const std::string& line : warnings_of(comparison)) text += fmt::format("- {}\n", escaped(line));
  for (const OtherDifference& other : comparison.others) {
    std::vector<std::string> parts;
    for (std::size_t g = 0; g < other.values.size(); ++g)
      parts.push_back(fmt::format("{}: {}", escaped(comparison.names[g]), escaped(other.values[g])));
    text += fmt::format("- what else differs: {} ({})\n", escaped(other.what), fmt::join(parts, "; "));
  }
  return text;
}

std::string comparison_csv(const Comparison& comparison) {
  std::string text;
  CsvWriter csv(text);
  for (const char* heading :
       {"figure", "unit", "group", "runs", "mean", "spread", "base", "difference", "difference is", "95 % from",
        "95 % to", "p (Welch)", "p (permutation)", "verdict", "runs needed", "mark"})
    csv.raw(heading);
  csv.end_line();
  for (const ComparedFigure& figure : comparison.figures) {
    for (std::size_t g = 0; g < figure.groups.size(); ++g) add_row(csv, comparison, figure, g);
  }
  return text;
}

}  // namespace idlemeter
