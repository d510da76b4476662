// idlemeter play, attach: a game with the meter beside it.
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <spdlog/sinks/rotating_file_sink.h>
#include <spdlog/spdlog.h>
#include <unistd.h>

#include <algorithm>
#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "commands.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/base/user_folder.hpp"
#include "idlemeter/insight/figure_set.hpp"
#include "idlemeter/insight/run_text.hpp"
#include "idlemeter/meter/meter_words.hpp"
#include "idlemeter/meter/play_game.hpp"
#include "idlemeter/meter/recording_plan.hpp"
#include "idlemeter/runs/store.hpp"
#include "idlemeter/settings/settings.hpp"
#include "output.hpp"
#include "play/plan_options.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

namespace fs = std::filesystem;

struct PlayArgs {
  std::string game_name, face, settings, figures = "frame.average,frame.low@1%,frame.low@0.1%", store = usual_store();
  bool hidden = false, quiet = false, record = false, linked = false, above = false, take_over = false;
  RecordingPlan plan;
  bool end_game = false;
  Nanoseconds wait_for_frames = 300 * kSecond;
  int pid = 0;
  std::vector<std::string> game;
};

/// What became of the recordings, as an exit status.
enum Outcome { kRecorded = 0, kFailed = 1, kIncomplete = 3, kNothingPresented = 4 };

std::function<void(const std::string&)> log_file() {
  const fs::path file = user_folder("XDG_STATE_HOME", ".local/state") / "meter.log";
  try {
    const auto logger = spdlog::rotating_logger_mt("meter", file.string(), 1 << 20, 2);
    logger->flush_on(spdlog::level::info);
    return [logger](const std::string& line) { logger->info("[{}] {}", ::getpid(), printable(line)); };
  } catch (const spdlog::spdlog_ex&) {
    return {};  // no place for a log: the game is more important
  }
}

/// Whether something is to be recorded without a key or a command.
bool is_planned(const PlayArgs& args) {
  const RecordingPlan& plan = args.plan;
  return args.record || args.end_game || plan.length || plan.repeat > 1 || plan.after > Nanoseconds{};
}

PlayOptions options_of(const PlayArgs& args) {
  PlayOptions options{.settings = usual_settings(args.settings),
                      .store = args.store,
                      .face = args.face,
                      .game_name = args.game_name,
                      .visible = !args.hidden,
                      .notes = args.plan.notes,
                      .ends_game = args.end_game,
                      .log = log_file()};
  if (args.above) options.way = FrameWay::above;
  if (args.linked) options.way = FrameWay::linked;
  if (is_planned(args)) options.plan = args.plan;
  if (args.end_game) options.silent_end = args.wait_for_frames;
  if (!args.quiet) {
    options.is_silent = [above = args.above, ends = args.end_game, wait = args.wait_for_frames] {
      complain("idlemeter: no frame has been seen for 15 s, so nothing is recorded yet{}{}\n",
               above ? "" : "; --above measures games that present otherwise than by OpenGL and Vulkan",
               ends ? fmt::format("; the game is ended after {:.0f} s", in_seconds(wait)) : "");
    };
  }
  return options;
}

/// Why no frame may have been seen.
std::string no_frame(const PlayArgs& args, const PlayReport& report) {
  if (args.above)
    return "no window of the game was seen" + (report.unseen_games.empty() ? "" : "; " + report.unseen_games);
  if (args.game.empty()) return "no frame was seen";
  if (!report.program_32_bit.empty())
    return fmt::format(
        "no frame was seen: '{}' is a 32-bit program, and the probe for those isn't installed; measure it with --above",
        report.program_32_bit);
  if (!report.contained_program.empty())
    return fmt::format(
        "no frame was seen: '{}' runs in a container without {}; share that with it and pass the environment on, or "
        "measure it with --above",
        report.contained_program, fmt::join(report.unshared, " and "));
  return no_frame_words(report) + (may_present_otherwise(report) ? "; --above measures any window on X11" : "");
}

/// With --end-game: a line for each recorded run.
void print_table(const PlayReport& report, const Store& store, const FigureSet& figures) {
  std::vector<RunInsight> insights;
  std::vector<std::string> remarks;
  for (const RecordedRun& one : report.runs) {
    if (one.run == 0) continue;
    insights.push_back(insight_of(store, one.run, {.figures = figures.request()}));
    remarks.push_back(one.is_short ? "short: " + shortness_words(one) : "");
  }
  print("{}", runs_by_figures(insights, figures, remarks));
}

void print_runs(const PlayReport& report, const PlayArgs& args, const FigureSet& figures) {
  const auto is_kept = [](const RecordedRun& run) { return run.run != 0; };
  if (std::none_of(report.runs.begin(), report.runs.end(), is_kept)) return;
  const Store store(args.store, Store::Mode::existing);
  for (const std::int64_t run : report.empty_runs)
    complain("idlemeter: run {} has no frames: none was seen while it was recorded\n", run);
  if (args.end_game) return print_table(report, store, figures);
  for (const RecordedRun& one : report.runs) {
    const auto& empty = report.empty_runs;
    if (!args.quiet && is_kept(one) && std::find(empty.begin(), empty.end(), one.run) == empty.end())
      complain("idlemeter: {}\n", recorded_words(store, one.run));
  }
}

/// Says what was seen and what became of recordings.
Outcome print_report(const PlayReport& report, const PlayArgs& args, const FigureSet& figures) {
  if (!args.quiet && report.games.empty()) complain("idlemeter: {}\n", no_frame(args, report));
  for (const GameReport& game : report.games) {
    if (!args.quiet) complain("idlemeter: {}\n", printable(game_words(game)));
  }
  for (const std::string& problem : report.problems) complain("idlemeter: {}\n", printable(problem));
  print_runs(report, args, figures);
  if (report.never_recorded) {
    complain("idlemeter: not recorded: the game ended before the recording could start{}\n",
             args.plan.repeat > 1 ? fmt::format(", after {} of {} runs", report.runs.size(), args.plan.repeat) : "");
  }
  if (!report.problems.empty()) return kFailed;
  if (is_planned(args) && report.games.empty()) return kNothingPresented;
  return report.is_complete() ? kRecorded : kIncomplete;
}

int play(const PlayArgs& args) {
  if (args.end_game && !args.above && !args.linked && lacks_probe(args.game)) {
    complain(
        "idlemeter: '{}' is a 32-bit program, and the probe for those isn't installed: nothing can be recorded; "
        "measure "
        "it with --above\n",
        args.game.front());
    return kNothingPresented;
  }
  if (const std::string wrong = problem_with_options(args.plan); !wrong.empty()) return misuse("play", wrong);
  const PlayOptions options = options_of(args);
  const FigureSet figures = FigureSet::named(args.figures, options.settings.figures);
  const PlayReport report = play_game(args.game, options);
  if (report.not_started) {
    constexpr int kNotFound = 127, kNotRunnable = 126;  // as a shell says it
    complain("idlemeter: {}\n", report.not_started->what());
    return report.not_started->code() == Error::Code::not_found ? kNotFound : kNotRunnable;
  }
  const Outcome outcome = print_report(report, args, figures);
  if (args.end_game && report.was_asked_to_end)
    return outcome;  // the status of a game that was told to end says nothing
  const int status = end_like(report.status);
  return status == 0 ? outcome : status;
}

int attach(const PlayArgs& args) {
  const PlayOptions options = options_of(args);
  const FigureSet figures = FigureSet::named(args.figures, options.settings.figures);
  try {
    return print_report(attach_to_game(args.pid, args.take_over, options), args, figures);
  } catch (const Error& error) {
    if (error.hint() != Error::Hint::take_over) throw;
    complain(
        "idlemeter: {}; control that one with 'idlemeter tell', or take the game over with 'idlemeter attach "
        "--take-over {}'\n",
        error.problem(), args.pid);
    return 1;
  }
}

void add_options(Command command, const std::shared_ptr<PlayArgs>& options) {
  command.option("--face", options->face,
                 "A kept face, a face file or a starter's name, regardless of the settings' rules");
  command.option("--game", options->game_name, "The game's name in runs and on faces, instead of its program's");
  command.option("--settings", options->settings, "The settings file, instead of " + usual_settings_path().string());
  command.option("--store", options->store, "The store for recordings").shows_default();
  command.flag(
      "--above", options->above,
      "Load nothing into the game: draw in a window above it, and count frames as the display reports them (X11)");
  command.flag("--hidden", options->hidden, "Start without the overlay");
  command.flag("--quiet", options->quiet, "At the end, report only what wasn't recorded");
}

}  // namespace

void add_play(Command app) {
  const auto options = std::make_shared<PlayArgs>();
  Command command = app.add("play", "Play a game with the overlay on it; also as a launcher's prefix",
                            [options] { return play(*options); });
  add_options(command, options);
  command.flag("--record", options->record, "Record from the first present to the last");
  add_plan_options(command, options->plan);
  command.flag(
      "--end-game", options->end_game,
      "End the game after the last run and print the results. Exit status: 0 if every run was recorded, 1 if the store "
      "failed, 3 if a run is short or missing, 4 if nothing was presented");
  add_wait_option(command, options->wait_for_frames);
  command
      .option("--figures", options->figures,
              "The figures that --end-game prints for each run: a set saved under [figures] in the settings, or ids")
      .shows_default();
  command.flag("--linked", options->linked, "The game links Idle Meter's library: don't load a probe into it");
  command.option("GAME", options->game, "The game and its arguments, after -- if one starts with a dash").required();

  const auto attached = std::make_shared<PlayArgs>();
  Command again = app.add(
      "attach", "Reattach to a game started with 'play' whose meter has ended, or take it over from another meter",
      [attached] { return attach(*attached); });
  again.option("PID", attached->pid, "The game's process").required().check(positive());
  again.flag("--take-over", attached->take_over, "Take the game over if another meter has it");
  add_options(again, attached);
}

}  // namespace idlemeter::cli
