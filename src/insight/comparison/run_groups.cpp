#include "idlemeter/insight/run_groups.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <optional>
#include <set>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/nearest.hpp"
#include "idlemeter/runs/run_filter.hpp"
#include "idlemeter/runs/run_list.hpp"

namespace idlemeter {
namespace {

/// The setting's value if all runs of the group have the same; "no Upscaler" if none has the setting.
std::optional<std::string> shared_value(const RunGroup& group, const std::string& name) {
  std::set<std::string> values;
  for (const RunInsight& run : group.runs) {
    const auto found = run.info.details.settings.find(name);
    values.insert(found == run.info.details.settings.end() ? "no " + name : found->second);
  }
  return values.size() == 1 ? std::optional(*values.begin()) : std::nullopt;
}

std::set<std::string> settings_of(const std::vector<RunGroup>& groups) {
  std::set<std::string> settings;
  for (const RunGroup& group : groups) {
    for (const RunInsight& run : group.runs) {
      for (const auto& [name, value] : run.info.details.settings) settings.insert(name);
    }
  }
  return settings;
}

/// Names the groups after the settings in which they differ, if that makes each name unique. Returns those settings.
std::vector<std::string> name_by_settings(std::vector<RunGroup>& groups) {
  std::vector<std::string> names(groups.size()), used;
  for (const std::string& setting : settings_of(groups)) {
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
std::vector<RunGroup> groups_of(const Store& store, const GroupChoice& choice, const InsightOptions& how,
                                std::vector<std::string>& told) {
  std::vector<RunGroup> groups;
  if (!choice.by.empty()) {
    const auto ids = choice.lists.empty() ? ids_of(store.runs(Store::Facts::none), {}) : run_lists(choice.lists);
    told = choice.by;
    return grouped_by(insights_of(store, ids, how), choice.by);
  }
  for (const std::string& list : choice.lists)
    groups.push_back({"runs " + list, insights_of(store, run_list(list), how)});
  told = name_by_settings(groups);
  const auto all = choice.tags.empty() ? std::vector<RunInfo>() : store.runs(Store::Facts::none);
  for (const std::string& tag : choice.tags) {
    const auto ids = ids_of(all, {.tags = {tag}});
    if (ids.empty())
      throw Error(Error::Code::not_found, fmt::format("no run has the tag '{}'", tag), store.path().string(),
                  "name a tag that a run has", Error::Hint::list_tags);
    groups.push_back({tag, insights_of(store, ids, how)});
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

}  // namespace

ChosenGroups choose_groups(const Store& store, const GroupChoice& choice, const FigureSet& figures,
                           std::size_t hitches) {
  ChosenGroups chosen;
  InsightOptions how{.figures = figures.request(), .hitches = hitches};
  if (hitches == 0) how.readings = readings_of_comparison(figures);
  chosen.groups = groups_of(store, choice, how, chosen.how.told);
  chosen.how.base = base_of(chosen.groups, choice.base);
  return chosen;
}

}  // namespace idlemeter
