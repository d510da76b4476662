#include "outcome.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <cstdlib>
#include <filesystem>
#include <sstream>

#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/insight/run_text.hpp"
#include "idlemeter/meter/process.hpp"
#include "idlemeter/runs/run.hpp"
#include "output.hpp"

namespace idlemeter::cli {
namespace {

namespace fs = std::filesystem;

/// The file that would be started, as execvp() finds it; empty if there is none.
fs::path found_program(const std::string& word) {
  if (word.find('/') != std::string::npos) return word;
  std::istringstream folders(std::getenv("PATH") == nullptr ? "/usr/bin:/bin" : std::getenv("PATH"));
  for (std::string folder; std::getline(folders, folder, ':');) {
    const fs::path file = fs::path(folder.empty() ? "." : folder) / word;
    if (::access(file.c_str(), X_OK) == 0 && fs::is_regular_file(file)) return file;
  }
  return {};
}

/// Why no frame may have been seen.
std::string no_frame(const PlayOptions& options) {
  if (options.above) return "no window of the game was seen on the X11 display";
  if (options.game.empty()) return "no frame was seen";
  if (!options.program_32_bit.empty())
    return fmt::format(
        "no frame was seen: '{}' is a 32-bit program, which can't load the probe; measure it with --above",
        options.program_32_bit);
  return fmt::format(
      "no frame of '{}' was seen: it presents in another way than by OpenGL or Vulkan, its graphics driver failed (see "
      "what it printed), or it ended before it presented; --above measures any window on X11",
      options.game.front());
}

void print_report(const GameReport& game) {
  const Summary& s = game.summary;
  std::string line =
      fmt::format("idlemeter: {}{}{}: {} frame{}", game.name, game.api.empty() ? "" : ", " + game.api,
                  game.picture.empty() ? "" : ", " + game.picture, game.presents, game.presents == 1 ? "" : "s");
  if (!game.blind.empty()) line += ": they aren't known, for " + game.blind;
  if (s.average_rate) {
    line += fmt::format(" in {:.2f} s, average {:.1f} FPS", in_seconds(s.time), *s.average_rate);
    const Low* low = s.low(Share{10'000});
    if (low != nullptr && low->enough_frames)
      line += fmt::format(", 1% low {:.1f} FPS (mean of the slowest)", low->rate);
  }
  complain("{}\n", printable(line));
}

/// Why a run is shorter than planned.
std::string_view reason_of(const RecordedRun& run) {
  if (!run.end || *run.end == RunEnd::store_failed) return "the store failed";
  if (*run.end == RunEnd::game_crashed) return "the game crashed or was killed";
  return *run.end == RunEnd::game_ended ? "the game ended" : "it was stopped";
}

/// "idlemeter: run 3 in runs.db: average 91.2 FPS, 1% low 47.4 FPS, 0.1% low 31.0 FPS (mean of the slowest)"
void print_run(const Store& store, std::int64_t run) {
  const Summary s = summarize(store.intervals(run));
  const auto rate = [](std::optional<double> value) { return value ? fmt::format("{:.1f} FPS", *value) : "unknown"; };
  const auto low = [&](double percent) {
    const Low* found = s.low(Share::percent(percent));
    return found == nullptr || !found->enough_frames ? std::string("of too few frames") : rate(found->rate);
  };
  complain("idlemeter: run {} in {}: average {}, 1% low {}, 0.1% low {} (mean of the slowest)\n", run,
           store.path().string(), rate(s.average_rate), low(1), low(0.1));
}

/// Runs without a single frame, which say nothing.
std::vector<std::int64_t> empty_runs(const Store& store, const std::vector<RecordedRun>& runs) {
  std::vector<std::int64_t> empty;
  for (const RecordedRun& one : runs) {
    if (one.run != 0 && store.run(one.run).frames == 0) empty.push_back(one.run);
  }
  return empty;
}

/// A line for each recorded run.
void print_runs(const std::vector<RecordedRun>& runs, const PlayOptions& options, const FigureSet& figures) {
  const Store store(options.store, Store::Mode::existing);
  std::vector<RunInsight> insights;
  std::vector<std::string> remarks;
  for (const RecordedRun& one : runs) {
    if (one.run == 0) continue;
    insights.push_back(insight_of(store, one.run, {.figures = figures.request()}));
    remarks.push_back(one.is_short ? fmt::format("short: {}", reason_of(one)) : "");
  }
  print("{}", runs_by_figures(insights, figures, remarks));
}

}  // namespace

bool starts_32_bit(const std::vector<std::string>& game) {
  return !game.empty() && is_32_bit(found_program(game.front()));
}

bool is_planned(const PlayOptions& options) {
  const RecordingPlan& plan = options.plan;
  return options.record || options.end_game || plan.length || plan.repeat > 1 || plan.after > Nanoseconds{};
}

Outcome print_outcome(Meter& meter, const PlayOptions& options, const FigureSet& figures) {
  meter.end_recordings();
  const std::vector<GameReport> reports = meter.reports();
  if (!options.quiet && reports.empty()) complain("idlemeter: {}\n", no_frame(options));
  for (const GameReport& game : reports) {
    if (!options.quiet) print_report(game);
  }
  const std::vector<std::string> problems = meter.recording_problems();
  for (const std::string& problem : problems) complain("idlemeter: {}\n", printable(problem));
  const std::vector<RecordedRun> runs = meter.recorded();
  const bool any = std::any_of(runs.begin(), runs.end(), [](const RecordedRun& run) { return run.run != 0; });
  std::vector<std::int64_t> empty;
  if (any) {
    const Store store(options.store, Store::Mode::existing);
    empty = empty_runs(store, runs);
    for (const std::int64_t run : empty)
      complain("idlemeter: run {} has no frames: nothing was presented while it was recorded\n", run);
    if (options.end_game) {
      print_runs(runs, options, figures);
    } else if (!options.quiet) {
      for (const RecordedRun& one : runs) {
        if (one.run != 0 && std::find(empty.begin(), empty.end(), one.run) == empty.end()) print_run(store, one.run);
      }
    }
  }
  if (meter.has_plan()) {
    complain("idlemeter: not recorded: the game ended before the recording could start{}\n",
             options.plan.repeat > 1 ? fmt::format(", after {} of {} runs", runs.size(), options.plan.repeat) : "");
  }
  if (!problems.empty()) return kFailed;
  if (is_planned(options) && reports.empty()) return kNothingPresented;
  const bool is_short = std::any_of(runs.begin(), runs.end(), [](const RecordedRun& run) { return run.is_short; });
  return meter.has_plan() || is_short || !empty.empty() ? kIncomplete : kRecorded;
}

}  // namespace idlemeter::cli
