// Options that choose groups of runs.
#pragma once

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <string>

#include "arguments.hpp"
#include "idlemeter/insight/figure_set.hpp"
#include "idlemeter/insight/run_groups.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter::cli {

/// What the options say.
struct GroupOptions {
  GroupChoice groups = {};
  std::string by = {}, settings = {}, figures = fmt::format("{}", fmt::join(kUsualFigures, ","));
  double matters = 3;  ///< percent
};

/// RUNS, --by, --tag, --base, --figures, --matters, --settings, into options that have to live until the command has
/// run.
void add_group_options(Command command, GroupOptions& options, const std::string& about_runs);

/// For commands that take runs by their numbers alone: says so to who gives --by or --tag.
void lack_groups(Command& command);

struct FiguresAndGroups {
  FigureSet figures;
  ChosenGroups chosen;
};

/// Reads the runs, with so many of their worst hitches. Throws Error if there is no such run, tag, setting, figure or
/// base.
FiguresAndGroups read_groups(const Store& store, const GroupOptions& options, std::size_t hitches = 0);

}  // namespace idlemeter::cli
