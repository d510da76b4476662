// The options of recordings that start and end by themselves.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "arguments.hpp"
#include "idlemeter/meter/recording_plan.hpp"

namespace idlemeter::cli {

/// --for, --after, --repeat, --pause, --set, --note, --tag, read into a plan that has to live until the command has
/// run.
void add_plan_options(Command command, RecordingPlan& plan);

/// --wait-for-frames, read into a time that has to live as long.
void add_wait_option(Command command, Nanoseconds& wait);

/// What is wrong with a plan, in the words of these options; empty if nothing is.
std::string problem_with_options(const RecordingPlan& plan);

/// --set and --tag alone, likewise.
void add_setting_options(Command command, RunNotes& notes);

/// The same options, to choose the runs that have them.
void add_setting_filter(Command command, std::map<std::string, std::string>& settings, std::vector<std::string>& tags);

/// Complains as the parser does, and returns the status for misuse.
int misuse(const std::string& command, const std::string& wrong);

}  // namespace idlemeter::cli
