// The options of recordings that start and end by themselves.
#pragma once

#include <string>

#include "arguments.hpp"
#include "idlemeter/meter/recording_plan.hpp"

namespace idlemeter::cli {

/// --for, --after, --repeat, --pause, --set, --note, --tag, read into a plan that has to live until the command has
/// run.
void add_plan_options(Command command, RecordingPlan& plan);

/// What options say together that can't be; "" if nothing.
std::string wrong_with(const RecordingPlan& plan);

/// Complains as the parser does, and returns the status for misuse.
int misuse(const std::string& command, const std::string& wrong);

}  // namespace idlemeter::cli
