// The subcommands of `idlemeter`, a file each.
#pragma once

#include "arguments.hpp"

namespace idlemeter::cli {

// Each adds its command.
void add_play(Command app);
void add_tell(Command app);
void add_demo(Command app);
void add_readings(Command app);
void add_face(Command app);
void add_runs(Command app);
void add_compare(Command app);
void add_plot(Command app);
void add_report(Command app);
void add_changes(Command app);
void add_log(Command app);
void add_footage(Command app);
void add_serve(Command app);
void add_settings_command(Command app);
void add_desk(Command app);
void add_doctor(Command app);

}  // namespace idlemeter::cli
