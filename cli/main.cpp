// The idlemeter command: exit status 0 for success, 1 for failure, 2 for misuse.
#include <fmt/format.h>
#include <signal.h>

#include <algorithm>
#include <cstdio>
#include <exception>
#include <iostream>

#include "command.hpp"
#include "idlemeter/error.hpp"
#include "output.hpp"
#include "readings/nearest.hpp"
#include "terminal.hpp"
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
    idlemeter::cli::complain("idlemeter: {}\nTry 'idlemeter {}--help'.\n", unknown.empty() ? misuse.what() : unknown,
                             app.get_subcommands().empty() ? "" : app.get_subcommands().front()->get_name() + " ");
    return 2;
  }
}

/// As a program ends whose reader is gone.
int end_by_closed_pipe() {
  ::signal(SIGPIPE, SIG_DFL);
  ::raise(SIGPIPE);
  return 1;
}

}  // namespace

int main(int argc, char** argv) {
  using namespace idlemeter::cli;
  open_standard_streams();
  ::signal(SIGPIPE, SIG_IGN);  // it is an error like any other, so that nothing is left behind
  CLI::App app{
      "Idle Meter: what your machine does while you play, measured, shown over the game, recorded and compared."};
  app.set_version_flag("--version", IDLEMETER_VERSION);
  app.require_subcommand(1);
  Action action;
  add_play(app, action);
  add_tell(app, action);
  add_demo(app, action);
  add_readings(app, action);
  add_face(app, action);
  add_runs(app, action);
  try {
    int status = parse(app, argc, argv);
    const bool plays = app.got_subcommand("play") || app.got_subcommand("attach");  // these pass signals on
    if (status < 0 && !plays) watch_signals();
    if (status < 0) status = action();
    std::cout.flush();
    flush_output();
    return status;
  } catch (const ReaderGone&) {
    return end_by_closed_pipe();
  } catch (const std::exception& failure) {
    complain("idlemeter: {}\n", failure.what());
    return 1;
  }
}
