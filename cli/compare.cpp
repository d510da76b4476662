// idlemeter compare: groups of runs against each other.
#include "idlemeter/insight/compare.hpp"

#include <fmt/format.h>

#include <memory>

#include "commands.hpp"
#include "comparison.hpp"
#include "gnuplot.hpp"
#include "idlemeter/insight/words.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/runs/store.hpp"
#include "output.hpp"
#include "plan_options.hpp"
#include "run_groups.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

struct Options {
  std::string store = usual_store(), bars;
  GroupChoice groups;
  bool json = false, csv = false, markdown = false, dark = false;
};

/// A panel for each figure, a bar for each group.
void write_bars(const Comparison& comparison, const DifferenceRules& how, const std::string& game,
                const Options& options) {
  BarPlot plot{.title = game, .groups = comparison.names, .dark = options.dark};
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
  plot.note = fmt::format("means with their {:g} % intervals (Student)", 100 * how.confidence);
  write_plot(plot, options.bars);
  print("{}\n", options.bars);
}

int compare_groups(const Options& options) {
  const Store store(options.store, Store::Mode::existing);
  const ChosenGroups chosen = chosen_groups(store, options.groups);
  if (chosen.groups.size() < 2)
    return misuse(
        "compare",
        "a comparison needs at least two groups of runs; name two lists, like 1-5 6-10, two tags, or a setting "
        "whose values differ with --by");
  const Comparison comparison = compare(chosen.groups, chosen.figures, chosen.how);
  if (!options.bars.empty()) {
    write_bars(comparison, chosen.how.rules, chosen.groups.front().runs.front().info.details.game, options);
  } else if (options.json) {
    write_raw(comparison_json(comparison) + "\n");
  } else if (options.csv) {
    write_raw(comparison_csv(comparison));
  } else if (options.markdown) {
    write_raw(comparison_markdown(comparison));
  } else {
    print("{}", comparison_text(comparison, chosen.how.rules));
  }
  return 0;
}

}  // namespace

void add_compare(Command app) {
  const auto options = std::make_shared<Options>();
  Command command = app.add("compare", "Compare groups of runs: what really differs, by how much, and how sure that is",
                            [options] { return compare_groups(*options); });
  add_group_options(command, options->groups, "Groups of runs, like 1-5 6-10; with --by: the runs to take, else all");
  Option json = command.flag("--json", options->json, "As JSON");
  Option csv = command.flag("--csv", options->csv, "As CSV: a line for each figure and group").excludes(json);
  Option markdown =
      command.flag("--markdown", options->markdown, "As a table for a forum").excludes(json).excludes(csv);
  Option bars = command.option("--bars", options->bars, "As bars with intervals: a name that ends with .png or .svg")
                    .check(is_picture_name())
                    .excludes(json)
                    .excludes(csv)
                    .excludes(markdown);
  command.flag("--dark", options->dark, "The bars on dark ground").needs(bars);
  command.option("--store", options->store, "The file that holds runs").shows_default();
}

}  // namespace idlemeter::cli
