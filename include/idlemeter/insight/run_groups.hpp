// Idle Meter: runs of a store as groups to compare.
#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include "idlemeter/insight/compare.hpp"
#include "idlemeter/insight/figure_set.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {

/// Which runs are a group.
struct GroupChoice {
  std::vector<std::string> lists = {};  ///< each a group, like 1-5; with `by` the runs to take, else all
  std::vector<std::string> tags = {};   ///< the runs with each are a group
  std::vector<std::string> by = {};     ///< settings and facts: runs with the same values are a group
  std::string base = {};                ///< a group's name; else the first
};

struct ChosenGroups {
  std::vector<RunGroup> groups;
  CompareOptions how = {};  ///< with the base, and what the groups were made by
};

/// Reads the runs, with what the figures need, and so many of their worst hitches: a comparison needs none. Groups of
/// lists are named after the settings in which they differ, if that distinguishes them. Throws Error if there is no
/// such run, tag, setting or base.
[[nodiscard]] ChosenGroups choose_groups(const Store& store, const GroupChoice& choice, const FigureSet& figures,
                                         std::size_t hitches = 0);

}  // namespace idlemeter
