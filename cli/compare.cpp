// idlemeter compare: groups of runs against each other.
#include "idlemeter/insight/compare.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <memory>
#include <set>

#include "commands.hpp"
#include "comparison.hpp"
#include "figures.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/nearest.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/runs/run_filter.hpp"
#include "idlemeter/runs/store.hpp"
#include "idlemeter/settings/settings.hpp"
#include "output.hpp"
#include "plan_options.hpp"
#include "run_lists.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

struct Options {
  std::string store = Store::usual_path().string();
  std::vector<std::string> lists, tags;
  std::string by, base, figures = "frame.average,frame.low@1%,frame.low@0.1%,frame.median,stutter.lost", settings;
  bool json = false, csv = false, markdown = false, drop_odd = false;
  double matters = 3;
};

/// The setting's value if all runs of the group have the same; "no Upscaler" if none has the setting.
std::optional<std::string> shared_value(const RunGroup& group, const std::string& name) {
  std::set<std::string> values;
  for (const RunInsight& run : group.runs) {
    const auto found = run.info.details.settings.find(name);
    values.insert(found == run.info.details.settings.end() ? "no " + name : found->second);
  }
  return values.size() == 1 ? std::optional(*values.begin()) : std::nullopt;
}

/// Names the groups after the settings in which they differ, if that makes each name unique. Returns those settings.
std::vector<std::string> name_by_settings(std::vector<RunGroup>& groups) {
  std::set<std::string> settings;
  for (const RunGroup& group : groups) {
    for (const RunInsight& run : group.runs) {
      for (const auto& [name, value] : run.info.details.settings) settings.insert(name);
    }
  }
  std::vector<std::string> names(groups.size()), used;
  for (const std::string& setting : settings) {
    std::vector<std::optional<std::string>> values;
    for (const RunGroup& group : groups) values.push_back(shared_value(group, setting));
    const std::set<std::optional<std::string>> different(values.begin(), values.end());
    if (different.size() < 2 || different.contains(std::nullopt)) continue;
    for (std::size_t i = 0; i < groups.size(); ++i) names[i] += (names[i].empty() ? "" : ", ") + *values[i];
    used.push_back(setting);
  }
  if (std::set<std::string>(names.begin(), names.end()).size() < names.size()) return {};
  for (std::size_t i = 0; i < groups.size(); ++i) groups[i].name = names[i];
  return used;
}

std::vector<std::int64_t> ids_of(const std::vector<RunInfo>& runs, const RunFilter& filter) {
  std::vector<std::int64_t> ids;
  for (const RunInfo& run : runs) {
    if (run.problem.empty() && filter.matches(run)) ids.push_back(run.id);
  }
  return ids;
}

/// `told` gets the settings that the groups are named after.
std::vector<RunGroup> groups_of(const Store& store, const Options& options, const FigureSet& set,
                                std::vector<std::string>& told) {
  std::vector<RunGroup> groups;
  if (!options.by.empty()) {
    const auto ids = options.lists.empty() ? ids_of(store.runs(Store::Facts::none), {}) : run_lists(options.lists);
    told = split(options.by, ',');
    return grouped_by(insights_of(store, ids, set), told);
  }
  for (const std::string& list : options.lists)
    groups.push_back({"runs " + list, insights_of(store, run_list(list), set)});
  told = name_by_settings(groups);
  const auto all = options.tags.empty() ? std::vector<RunInfo>() : store.runs(Store::Facts::none);
  for (const std::string& tag : options.tags) {
    const auto ids = ids_of(all, {.tags = {tag}});
    if (ids.empty())
      throw Error(Error::Code::not_found, fmt::format("no run has the tag '{}'", tag), store.path().string(),
                  "'idlemeter runs' lists them");
    groups.push_back({tag, insights_of(store, ids, set)});
  }
  return groups;
}

std::size_t base_of(const std::vector<RunGroup>& groups, const std::string& name) {
  if (name.empty()) return 0;
  std::vector<std::string_view> names;
  for (std::size_t i = 0; i < groups.size(); ++i) {
    if (groups[i].name == name) return i;
    names.push_back(groups[i].name);
  }
  throw Error(Error::Code::not_found, fmt::format("no group is called '{}'{}", name, did_you_mean(name, names)), "",
              fmt::format("the groups are: {}", fmt::join(names, "; ")));
}

int compare_groups(const Options& options) {
  const Store store(options.store, Store::Mode::existing);
  const FigureSet set = figure_set(options.figures, chosen_settings(options.settings));
  CompareOptions how;
  const std::vector<RunGroup> groups = groups_of(store, options, set, how.told);
  if (groups.size() < 2)
    return misuse(
        "compare",
        "a comparison needs at least two groups of runs; name two lists, like 1-5 6-10, two tags, or a setting "
        "whose values differ with --by");
  how.base = base_of(groups, options.base);
  how.drop_odd = options.drop_odd;
  how.rules.matters = options.matters / 100;
  const Comparison comparison = compare(groups, set, how);
  if (options.json) {
    write_raw(comparison_json(comparison) + "\n");
  } else if (options.csv) {
    write_raw(comparison_csv(comparison));
  } else if (options.markdown) {
    write_raw(comparison_markdown(comparison));
  } else {
    print("{}", comparison_text(comparison, how.rules));
  }
  return 0;
}

}  // namespace

void add_compare(Command app) {
  const auto options = std::make_shared<Options>();
  Command command = app.add("compare", "Compare groups of runs: what really differs, by how much, and how sure that is",
                            [options] { return compare_groups(*options); });
  command.option("RUNS", options->lists, "Groups of runs, like 1-5 6-10; with --by: the runs to take, else all")
      .check(is_run_list());
  command.option("--by", options->by, "Groups by a setting's or fact's values, or by several's: --by preset,driver");
  command.option("--tag", options->tags, "The runs with this tag are a group; may be repeated").repeats();
  command.option("--base", options->base, "The name of the group that the others are compared with; else the first");
  command.option("--figures", options->figures, "A set saved under [figures] in the settings, or ids").shows_default();
  command
      .option("--matters", options->matters,
              "The difference, in percent of the base, that has to be ruled out to say that there is none")
      .shows_default();
  command.flag("--drop-odd", options->drop_odd, "Leave odd runs out of every figure, instead of only naming them");
  command.flag("--json", options->json, "As JSON");
  command.flag("--csv", options->csv, "As CSV: a line for each figure and group");
  command.flag("--markdown", options->markdown, "As a table for a forum");
  command.option("--csv").excludes(command.option("--json"));
  command.option("--markdown").excludes(command.option("--json")).excludes(command.option("--csv"));
  command.option("--store", options->store, "The file that holds runs").shows_default();
  command.option("--settings", options->settings,
                 "The settings file with the sets of figures, instead of " + usual_settings_path().string());
}

}  // namespace idlemeter::cli
