// The commands below `idlemeter runs` that change stores, or move runs in and out.
#pragma once

#include "arguments.hpp"

namespace idlemeter::cli {

void add_run_changes(Command& runs);
void add_run_export(Command runs);
void add_run_import(Command runs);

}  // namespace idlemeter::cli
