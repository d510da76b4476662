#include "runs/group_options.hpp"

#include "idlemeter/base/text.hpp"
#include "idlemeter/settings/settings.hpp"
#include "values.hpp"

namespace idlemeter::cli {

void add_group_options(Command command, GroupOptions& options, const std::string& about_runs) {
  command.option("RUNS", options.groups.lists, about_runs).check(is_run_list());
  command.option("--by", options.by, "Group the runs by a setting or fact, or by several: --by preset,driver");
  command.option("--tag", options.groups.tags, "A group of the runs with this tag; may be repeated").repeats();
  command.option("--base", options.groups.base, "The group to compare the others with, by name; by default the first");
  command.option("--figures", options.figures, "A set saved under [figures] in the settings, or ids").shows_default();
  command.option("--matters", options.matters, "The smallest difference that matters, in percent of the base")
      .check(positive())
      .shows_default();
  command.option("--settings", options.settings,
                 "The settings file with the sets of figures, instead of " + usual_settings_path().string());
}

void lack_groups(Command& command) {
  command.lacks("--by,--tag",
                "runs are named by their numbers here: 'idlemeter runs --tag TAG' lists them, and compare "
                "and report take both options");
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
