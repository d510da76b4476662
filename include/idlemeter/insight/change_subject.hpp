// Idle Meter: what changes are looked for in.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/insight/changes.hpp"
#include "idlemeter/insight/runs_during.hpp"
#include "idlemeter/insight/second_series.hpp"
#include "idlemeter/runs/reading_table.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {

/// A run, a log or a table of readings.
struct ChangeSubject {
  std::string name;  ///< "run 1", "hours.csv"
  Nanoseconds length{};
  std::vector<SecondSeries> seconds = {};
  std::vector<RunSeries> texts = {};
  std::vector<RunMeanwhile> meanwhile = {};  ///< what was played during a log
};

/// Throws Error as the store does.
[[nodiscard]] ChangeSubject change_subject(const Store& store, std::int64_t run);
[[nodiscard]] ChangeSubject change_subject(ReadingTable table, const std::string& name);

[[nodiscard]] Changes find_changes(const ChangeSubject& subject, const ChangeRules& rules = {});

/// What is within a minute of a moment.
[[nodiscard]] Changes changes_near(Changes changes, Moment at);

}  // namespace idlemeter
