// The idlemeter command: exit status 0 for success, 1 for failure, 2 for misuse.
#include <signal.h>

#include <exception>
#include <iostream>
#include <new>
#include <string_view>

#include "advice.hpp"
#include "commands.hpp"
#include "definitions.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/meter/play_game.hpp"
#include "idlemeter/version.hpp"
#include "output.hpp"
#include "terminal.hpp"

namespace {

using namespace idlemeter::cli;

/// As a program ends whose reader is gone.
int end_by_closed_pipe() {
  ::signal(SIGPIPE, SIG_DFL);
  ::raise(SIGPIPE);
  return 1;
}

/// Says what has been thrown, and how the command ends.
int status_of_failure() {
  try {
    throw;
  } catch (const ReaderGone&) {
    return end_by_closed_pipe();
  } catch (const idlemeter::Error& failure) {
    complain("idlemeter: {}\n", message_of(failure));
    if (failure.code() == idlemeter::Error::Code::damaged)
      complain("Copy what can still be read: idlemeter runs check --repair NEW.db --store FILE\n");
  } catch (const std::bad_alloc&) {
    complain("idlemeter: this takes more memory than there is\n");
  } catch (const std::exception& failure) {
    complain("idlemeter: {}\n", failure.what());
  }
  return 1;
}

}  // namespace

int main(int argc, char** argv) {
  if (idlemeter::makes_containers(argv[0]))
    return complain("idlemeter: {}\n", idlemeter::become_container({argv, argv + argc}).what()), 1;
  open_standard_streams();
  // Errors like any other, so that nothing is left over: a reader that is gone, a limit on the size of files.
  for (const int number : {SIGPIPE, SIGXFSZ}) ::signal(number, SIG_IGN);
  Arguments arguments(
      "Idle Meter: what your machine does while you play, measured, shown over the game, recorded and compared.",
      IDLEMETER_VERSION);
  const Command commands = arguments.commands();
  for (const auto add :
       {add_play, add_tell, add_desk, add_demo, add_readings, add_face, add_runs, add_compare, add_plot, add_report,
        add_changes, add_log, add_footage, add_serve, add_settings_command, add_doctor})
    add(commands);
  try {
    const std::string_view asked = argc > 2 ? argv[1] : "";  // by a shell, by an installation
    if (asked == "complete") write_raw(completions(arguments.definitions(), {argv + 3, argv + argc}));
    if (asked == "man") write_man_pages(arguments.definitions(), argv[2], IDLEMETER_VERSION);
    if (asked == "complete" || asked == "man") return flush_output(), 0;
    const auto parsed = arguments.parse(argc, argv);
    const bool plays = parsed.command == "play" || parsed.command == "attach";  // these pass signals on
    if (parsed.run && !plays) watch_signals();
    const int status = parsed.run ? parsed.run() : parsed.status;
    std::cout.flush();
    flush_output();
    return status;
  } catch (...) {
    return status_of_failure();
  }
}
