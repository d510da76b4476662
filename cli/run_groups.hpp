// Runs as groups, as options choose them.
#pragma once

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <string>
#include <vector>

#include "arguments.hpp"
#include "idlemeter/insight/compare.hpp"
#include "idlemeter/insight/figure_set.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter::cli {

/// What the options say.
struct GroupChoice {
  std::vector<std::string> lists = {}, tags = {};
  std::string by = {}, base = {}, settings = {}, figures = fmt::format("{}", fmt::join(kUsualFigures, ","));
  double matters = 3;  ///< percent
};

/// The runs by group, and how to compare them.
struct ChosenGroups {
  FigureSet figures;
  std::vector<RunGroup> groups;
  CompareOptions how = {};
};

/// RUNS, --by, --tag, --base, --figures, --matters, --settings, into a choice that has to live until the
/// command has run.
void add_group_options(Command command, GroupChoice& choice, const std::string& about_runs);

/// Reads the runs. Throws Error if there is no such run, tag, setting, figure or base.
ChosenGroups chosen_groups(const Store& store, const GroupChoice& choice);

}  // namespace idlemeter::cli
