// The idlemeter command: exit status 0 for success, 1 for failure, 2 for misuse.
#include <fmt/format.h>

#include <algorithm>
#include <cstdio>
#include <exception>

#include "command.hpp"
#include "idlemeter/error.hpp"
#include "readings/nearest.hpp"
#include "version.hpp"

namespace {

/// "'raedings' is no command; did you mean 'readings'?" where the first word is none; CLI11 would say that one is
/// required.
std::string unknown_command(const CLI::App& app, int argc, char** argv) {
  if (argc < 2 || argv[1][0] == '-') return "";
  std::vector<std::string> names;
  for (const CLI::App* command : app.get_subcommands([](const CLI::App*) { return true; }))
    names.push_back(command->get_name());
  if (std::find(names.begin(), names.end(), argv[1]) != names.end()) return "";
  return fmt::format("'{}' is no command{}", argv[1],
                     idlemeter::did_you_mean(argv[1], std::vector<std::string_view>(names.begin(), names.end())));
}

/// Parses, and returns what to do; a negative status means: do it.
int parse(CLI::App& app, int argc, char** argv) {
  try {
    app.parse(argc, argv);
    return -1;
  } catch (const CLI::Success& asked) {  // --help, --version
    return app.exit(asked);
  } catch (const CLI::ParseError& misuse) {
    const std::string unknown = unknown_command(app, argc, argv);
    fmt::print(stderr, "idlemeter: {}\nTry 'idlemeter {}--help'.\n", unknown.empty() ? misuse.what() : unknown,
               app.get_subcommands().empty() ? "" : app.get_subcommands().front()->get_name() + " ");
    return 2;
  }
}

}  // namespace

int main(int argc, char** argv) {
  CLI::App app{
      "Idle Meter: what your machine does while you play, measured, shown over the game, recorded and compared."};
  app.set_version_flag("--version", IDLEMETER_VERSION);
  app.require_subcommand(1);
  idlemeter::cli::Action action;
  idlemeter::cli::add_play(app, action);
  idlemeter::cli::add_tell(app, action);
  idlemeter::cli::add_demo(app, action);
  idlemeter::cli::add_readings(app, action);
  idlemeter::cli::add_face(app, action);
  idlemeter::cli::add_runs(app, action);
  const int status = parse(app, argc, argv);
  if (status >= 0) return status;
  try {
    return action();
  } catch (const std::exception& failure) {
    fmt::print(stderr, "idlemeter: {}\n", failure.what());
    return 1;
  }
}
