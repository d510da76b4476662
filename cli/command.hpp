// The subcommands of `idlemeter`, a file each.
#pragma once

#include <CLI/CLI.hpp>
#include <functional>

namespace idlemeter::cli {

/// What a parsed command line asks to be done; returns the exit status.
using Action = std::function<int()>;

// Each adds its subcommand, with options that live as long as the application; `action` is set where it is the one
// called.
void add_readings(CLI::App& app, Action& action);
void add_face(CLI::App& app, Action& action);
void add_runs(CLI::App& app, Action& action);
void add_play(CLI::App& app, Action& action);
void add_tell(CLI::App& app, Action& action);
void add_demo(CLI::App& app, Action& action);

}  // namespace idlemeter::cli
