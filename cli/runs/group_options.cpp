#include "runs/group_options.hpp"

#include "idlemeter/base/text.hpp"
#include "values.hpp"

namespace idlemeter::cli {

void add_group_options(Command command, GroupOptions& options, const std::string& about_runs) {
  command.option("RUNS", options.groups.lists, about_runs).check(is_run_list());
  command.option("--by", options.by, "Groups by a setting's or fact's values, or by several's: --by preset,driver");
  command.option("--tag", options.groups.tags, "The runs with this tag are a group; may be repeated").repeats();
  command.option("--base", options.groups.base,
                 "The name of the group that the others are compared with; else the first");
  command.option("--figures", options.figures, "A set saved under [figures] in the settings, or ids").shows_default();
  command.option("--matters", options.matters, "Smallest difference that matters, in percent of the base")
      .check(positive())
      .shows_default();
  command.option("--settings", options.settings,
                 "The settings file with the sets of figures, instead of " + usual_settings_path().string());
}

FiguresAndGroups read_groups(const Store& store, const GroupOptions& options, std::size_t hitches) {
  GroupChoice choice = options.groups;
  if (!options.by.empty()) choice.by = split(options.by, ',');
  FigureSet figures = FigureSet::named(options.figures, usual_settings(options.settings).figures);
  ChosenGroups chosen = choose_groups(store, choice, figures, hitches);
  chosen.how.rules.matters = options.matters / 100;
  return {std::move(figures), std::move(chosen)};
}

}  // namespace idlemeter::cli
