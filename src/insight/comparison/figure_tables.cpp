#include <fmt/format.h>

#include "idlemeter/base/table.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/insight/run_text.hpp"
#include "idlemeter/readings/units.hpp"
#include "insight/run/run_columns.hpp"

namespace idlemeter {
namespace {

using enum Table::Align;

std::string shown(const RunFigure& figure) {
  if (!figure.value) return insight::kNoFigure;
  return format_number(*figure.value, digits_of(figure.info)) + (figure.is_uncertain ? "*" : "");
}

std::string remark_on_few(bool any) { return any ? "  * too few frames for this share\n" : ""; }

}  // namespace

std::string runs_by_figures(const std::vector<RunInsight>& runs, const FigureSet& set,
                            const std::vector<std::string>& remarks) {
  const auto figures = set.of(runs);
  const std::vector<RunFigure> first = runs.empty() ? set.of(RunInsight()) : figures.front();
  std::vector<Table::Align> columns(first.size() + 2, right);
  columns.push_back(left);
  Table table(columns);
  std::vector<std::string> head = {"run", "length, s"};
  for (const RunFigure& figure : first) head.push_back(with_unit(figure.info.brief, figure.info));
  head.emplace_back("");
  table.add(head);
  bool few = false;
  for (std::size_t i = 0; i < runs.size(); ++i) {
    std::vector<std::string> row = {fmt::format("{}", runs[i].info.id),
                                    format_number(in_seconds(runs[i].info.length), 1)};
    for (const RunFigure& figure : figures[i]) {
      row.push_back(shown(figure));
      few = few || figure.is_uncertain;
    }
    row.push_back(i < remarks.size() ? remarks[i] : "");
    table.add(row);
  }
  return table.text() + remark_on_few(few);
}

namespace {

std::string doubts_text(const std::vector<RunInsight>& runs) {
  std::string text;
  for (const RunInsight& run : runs) {
    for (const Doubt& doubt : run.doubts)
      text +=
          fmt::format("  ! {}{}\n", runs.size() > 1 ? fmt::format("run {}: ", run.info.id) : "", printable(doubt.text));
  }
  return text;
}

}  // namespace

std::string figures_by_runs(const std::vector<RunInsight>& runs, const FigureSet& set) {
  std::string text;
  for (const RunInsight& run : runs) text += run_heading(run.info);
  const auto figures = set.of(runs);
  std::vector<Table::Align> columns = {left};
  columns.insert(columns.end(), 2 * runs.size() - 1, right);
  Table table(columns);
  if (runs.size() > 1) table.add(insight::run_titles(runs, {""}));
  bool few = false;
  for (std::size_t i = 0; i < figures.front().size(); ++i) {
    const RunFigure& base = figures.front()[i];
    std::vector<std::string> row = {with_unit(base.info.title, base.info)};
    for (const auto& of_run : figures) {
      const RunFigure& figure = of_run[i];
      row.push_back(shown(figure));
      few = few || figure.is_uncertain;
      if (&of_run != &figures.front())
        row.push_back(figure.value && base.value ? insight::percent_against(*figure.value, *base.value)
                                                 : insight::kNoFigure);
    }
    table.add(row);
  }
  return text + "\n" + table.text("  ") + remark_on_few(few) + doubts_text(runs);
}

}  // namespace idlemeter
