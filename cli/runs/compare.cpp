// idlemeter compare: groups of runs against each other.
#include "idlemeter/insight/compare.hpp"

#include <fmt/format.h>

#include <memory>

#include "commands.hpp"
#include "idlemeter/insight/comparison_text.hpp"
#include "idlemeter/json/comparison.hpp"
#include "idlemeter/plot/comparison_plot.hpp"
#include "idlemeter/plot/write_plot.hpp"
#include "idlemeter/runs/store.hpp"
#include "output.hpp"
#include "play/plan_options.hpp"
#include "runs/group_options.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

struct CompareArgs {
  std::string store = usual_store(), bars;
  GroupOptions groups;
  bool json = false, csv = false, markdown = false, dark = false;
};

int compare_groups(const CompareArgs& options) {
  const Store store(options.store, Store::Mode::existing);
  const auto [figures, chosen] = read_groups(store, options.groups);
  if (chosen.groups.size() < 2)
    return misuse(
        "compare",
        "a comparison needs at least two groups of runs; name two lists, like 1-5 6-10, two tags, or a setting "
        "whose values differ with --by");
  const Comparison comparison = compare(chosen.groups, figures, chosen.how);
  if (!options.bars.empty()) {
    BarPlot plot = comparison_plot(comparison, chosen.how.rules, chosen.groups.front().runs.front().info.details.game);
    plot.dark = options.dark;
    write_plot(plot, options.bars);
    print("{}\n", options.bars);
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
  const auto options = std::make_shared<CompareArgs>();
  Command command = app.add("compare", "Compare groups of runs: what really differs, by how much, and how sure that is",
                            [options] { return compare_groups(*options); });
  add_group_options(command, options->groups,
                    "Groups of runs, like 1-5 6-10; with --by: which runs to group, by default all");
  Option json = command.flag("--json", options->json, "As JSON");
  Option csv = command.flag("--csv", options->csv, "As CSV: a line for each figure and group").excludes(json);
  Option markdown = command.flag("--markdown", options->markdown, "As a Markdown table").excludes(json).excludes(csv);
  Option bars = command.option("--bars", options->bars, "Draw bars with intervals into this .png or .svg file")
                    .check(is_picture_name())
                    .excludes(json)
                    .excludes(csv)
                    .excludes(markdown);
  command.flag("--dark", options->dark, "Draw on a dark background").needs(bars);
  command.option("--store", options->store, "The store with the runs").shows_default();
}

}  // namespace idlemeter::cli
