#include "idlemeter/insight/comparison_text.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>

#include "idlemeter/base/table.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/insight/words.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter {
namespace {

using enum Table::Align;

std::string mark(const ComparedFigure& figure, std::size_t group) {
  return figure.best == group ? "best" : figure.worst == group ? "worst" : "";
}

std::vector<std::string> row_of(const Comparison& comparison, const ComparedFigure& figure, std::size_t g) {
  const ComparedGroup& group = figure.groups[g];
  std::vector<std::string> row = {printable(comparison.names[g]),
                                  fmt::format("{} run{}", group.values.size(), group.values.size() == 1 ? "" : "s"),
                                  mean_words(figure, group)};
  if (g == comparison.base) {
    row.insert(row.end(), {"", "", "base"});
  } else if (group.difference) {
    row.insert(row.end(),
               {amount_words(figure.info, *group.difference, group.difference->value),
                interval_words(figure.info, *group.difference), verdict_words(figure.info, *group.difference)});
  } else {
    row.insert(row.end(), {"", "", "no figure"});
  }
  row.push_back(mark(figure, g));
  return row;
}

std::string number_field(std::optional<double> value) { return value ? fmt::format("{}", *value) : ""; }

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
  if (!comparison.others.empty()) {
    Table others(std::vector<Table::Align>(comparison.names.size() + 1, left));
    std::vector<std::string> head = {"What else differs"};
    for (const std::string& name : comparison.names) head.push_back(printable(name));
    others.add(head);
    for (const OtherDifference& other : comparison.others) {
      std::vector<std::string> row = {"  " + printable(other.what)};
      for (const std::string& value : other.values) row.push_back(printable(value));
      others.add(row);
    }
    text += "\n" + others.text();
  }
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
  std::string text =
      "figure,unit,group,runs,mean,spread,base,difference,difference is,95 % from,95 % to,p (Welch),p (permutation),"
      "verdict,runs needed,mark\r\n";
  for (const ComparedFigure& figure : comparison.figures) {
    for (std::size_t g = 0; g < figure.groups.size(); ++g) {
      const ComparedGroup& group = figure.groups[g];
      const auto& d = group.difference;
      const std::vector<std::string> row = {csv_field(figure.info.id),
                                            csv_field(std::string(symbol(figure.info.unit))),
                                            csv_field(comparison.names[g]),
                                            fmt::format("{}", group.values.size()),
                                            number_field(group.mean),
                                            number_field(group.spread),
                                            g == comparison.base ? "yes" : "",
                                            d ? number_field(d->value) : "",
                                            !d                         ? ""
                                            : d->scale == Scale::ratio ? "a share of the base"
                                                                       : "in the unit",
                                            d ? number_field(d->low) : "",
                                            d ? number_field(d->high) : "",
                                            d ? number_field(d->p_welch) : "",
                                            d ? number_field(d->p_permutation) : "",
                                            d ? csv_field(std::string(name_of(d->verdict))) : "",
                                            d && d->runs_needed ? fmt::format("{}", *d->runs_needed) : "",
                                            mark(figure, g)};
      text += fmt::format("{}\r\n", fmt::join(row, ","));
    }
  }
  return text;
}

}  // namespace idlemeter
