#include "advice.hpp"

#include <fmt/format.h>

namespace idlemeter::cli {
namespace {

/// What fixes the error here; {} is the library's own advice.
const char* advice_for(Error::Hint hint) {
  using enum Error::Hint;
  switch (hint) {
    case none:
      return "{}";
    case another_store:
      return "{} with --store";
    case list_runs:
      return "{}; 'idlemeter runs' lists them";
    case list_tags:
      return "'idlemeter runs' lists them";
    case list_removed:
      return "'idlemeter runs --removed' lists them";
    case restore_run:
      return "'idlemeter runs restore' brings it back";
    case run_readings:
      return "'idlemeter runs show RUN --all' lists them";
    case log_readings:
      return "name readings of a log with --reading, like gpu.temp";
    case run_settings:
      return "give runs settings with --set when they are recorded, or with 'idlemeter runs change'";
    case frame_time:
      return "name it with --frame-time; {}";
    case frame_unit:
      return "{} with --unit: ns, us, ms, s or fps";
    case moments:
      return "name it with --time; {}";
    case moment_unit:
      return "{} with --time-unit: ns, us, ms or s";
    case gpu_work_unit:
      return "{} with --gpu-work-unit: ns, us, ms or s";
    case table_time:
      return "name it with --time, or say how far lines are apart with --every; {}";
    case table_format:
      return "name its time with --time, its delimiter with --delimiter";
    case another_port:
      return "choose another with --address or --port";
    case pack_face:
      return "name a file that 'idlemeter face pack' made";
    case own_face:
      return "{} with 'idlemeter face new NAME --from STARTER'";
    case list_faces:
      return "'idlemeter face list' lists all; {}";
    case record:
      return "start a recording with 'idlemeter tell record'";
    case play_game:
      return "start the game with 'idlemeter play -- GAME', or attach with --above: a window above the game's";
    case take_over:
      return "{}";
    case no_window_above:
      return "leave out --above, or play on X11";
    case shortcuts:
      return "use 'idlemeter tell' in the desktop's own shortcuts";
    case list_commands:
      return "try 'idlemeter tell --help'";
  }
  return "{}";
}

}  // namespace

std::string message_of(const Error& error) {
  if (error.hint() == Error::Hint::none) return error.what();
  const std::string advice = fmt::format(fmt::runtime(advice_for(error.hint())), error.fix());
  return (error.where().empty() ? "" : error.where() + ": ") + error.problem() + "; " + advice;
}

}  // namespace idlemeter::cli
