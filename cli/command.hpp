// The subcommands of `idlemeter`, a file each.
#pragma once

#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <functional>
#include <string>

namespace idlemeter::cli {

/// What a parsed command line asks to be done; returns the exit status.
using Action = std::function<int()>;

/// A check of an option's seconds: from `least` to a day; not "nan".
inline CLI::Validator seconds_from(double least) {
  return {[least](const std::string& text) {
            double seconds = -1;
            const bool read = CLI::detail::lexical_cast(text, seconds);
            return read && seconds >= least && seconds <= 86'400
                       ? std::string()
                       : fmt::format("'{}' isn't a number of seconds from {} to 86400", text, least);
          },
          ""};
}

// Each adds its subcommand, with options that live as long as the application; `action` is set where it is the one
// called.
void add_readings(CLI::App& app, Action& action);
void add_face(CLI::App& app, Action& action);
void add_runs(CLI::App& app, Action& action);
void add_play(CLI::App& app, Action& action);
void add_tell(CLI::App& app, Action& action);
void add_demo(CLI::App& app, Action& action);

}  // namespace idlemeter::cli
