#include "idlemeter/plot/comparison_plot.hpp"

#include <fmt/format.h>

#include "idlemeter/insight/words.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter {

BarPlot comparison_plot(const Comparison& comparison, const DifferenceRules& rules, const std::string& title) {
  BarPlot plot{.title = title, .groups = comparison.names};
  for (const ComparedFigure& figure : comparison.figures) {
    BarPanel& panel = plot.panels.emplace_back();
    panel.title = with_unit(figure.info.title, figure.info);
    for (const ComparedGroup& group : figure.groups) {
      const double mean = group.mean.value_or(0);
      panel.bars.push_back({mean, group.interval ? group.interval->low : mean,
                            group.interval ? group.interval->high : mean,
                            group.mean ? format_number(mean, digits_of(figure.info)) : "–"});
    }
  }
  plot.note = fmt::format("means with their {:g} % intervals (Student)", 100 * rules.confidence);
  return plot;
}

}  // namespace idlemeter
