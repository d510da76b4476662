#include "advice.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <iterator>
#include <utility>

namespace idlemeter::cli {
namespace {

/// What fixes an error here; {} is the library's own advice.
constexpr std::pair<Error::Hint, const char*> kAdvice[] = {
    {Error::Hint::another_store, "{} with --store"},
    {Error::Hint::list_runs, "{}; 'idlemeter runs' lists them"},
    {Error::Hint::list_tags, "'idlemeter runs' lists them"},
    {Error::Hint::list_removed, "'idlemeter runs --removed' lists them"},
    {Error::Hint::restore_run, "'idlemeter runs restore' brings it back"},
    {Error::Hint::run_readings, "'idlemeter runs show RUN --all' lists them"},
    {Error::Hint::log_readings, "name readings of a log with --reading, like gpu.temp"},
    {Error::Hint::run_settings,
     "give runs settings with --set when they are recorded, or with 'idlemeter runs change'"},
    {Error::Hint::frame_time, "name it with --frame-time; {}"},
    {Error::Hint::frame_unit, "{} with --unit: ns, us, ms, s or fps"},
    {Error::Hint::moments, "name it with --time; {}"},
    {Error::Hint::moment_unit, "{} with --time-unit: ns, us, ms or s"},
    {Error::Hint::gpu_work_unit, "{} with --gpu-work-unit: ns, us, ms or s"},
    {Error::Hint::table_time, "name it with --time, or say how far lines are apart with --every; {}"},
    {Error::Hint::table_format, "name its time with --time, its delimiter with --delimiter"},
    {Error::Hint::another_port, "choose another with --address or --port"},
    {Error::Hint::pack_face, "name a file that 'idlemeter face pack' made"},
    {Error::Hint::own_face, "start one of your own with 'idlemeter face new NAME --from STARTER'"},
    {Error::Hint::list_faces, "'idlemeter face list' lists all; {}"},
    {Error::Hint::record, "start a recording with 'idlemeter tell record'"},
    {Error::Hint::play_game,
     "start the game with 'idlemeter play -- GAME', or attach with --above: a window above the game's"},
    {Error::Hint::no_window_above, "leave out --above, or play on X11"},
    {Error::Hint::shortcuts, "use 'idlemeter tell' in the desktop's own shortcuts"},
    {Error::Hint::list_commands, "try 'idlemeter tell --help'"}};

const char* advice_for(Error::Hint hint) {
  const auto* found =
      std::find_if(std::begin(kAdvice), std::end(kAdvice), [&](const auto& one) { return one.first == hint; });
  return found == std::end(kAdvice) ? "{}" : found->second;
}

}  // namespace

std::string message_of(const Error& error) {
  if (error.hint() == Error::Hint::none) return error.what();
  const std::string advice = fmt::format(fmt::runtime(advice_for(error.hint())), error.fix());
  return (error.where().empty() ? "" : error.where() + ": ") + error.problem() + "; " + advice;
}

}  // namespace idlemeter::cli
