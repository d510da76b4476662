// The options of recordings that start and end by themselves.
#pragma once

#include "arguments.hpp"
#include "idlemeter/meter/recording_plan.hpp"

namespace idlemeter::cli {

/// --for, --after, --repeat, --pause, --set, --note, --tag, read into a plan that has to live until the command has
/// run.
void add_plan_options(Command command, RecordingPlan& plan);

}  // namespace idlemeter::cli
