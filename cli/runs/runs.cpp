// idlemeter runs: what was recorded.
#include "idlemeter/json/runs.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <functional>
#include <memory>

#include "commands.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/insight/interval.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/insight/run_text.hpp"
#include "idlemeter/runs/run_filter.hpp"
#include "idlemeter/runs/run_list.hpp"
#include "idlemeter/runs/store.hpp"
#include "idlemeter/settings/settings.hpp"
#include "output.hpp"
#include "play/plan_options.hpp"
#include "runs/runs_commands.hpp"
#include "terminal.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

struct RunsArgs {
  std::string store = usual_store();
  std::vector<std::string> runs;
  bool json = false;
  bool all = false, intervals = false;
  std::string leave_out, figures, settings, order = "number";
  RunFilter filter;
  bool removed = false, sizes = false, reverse = false;
};

constexpr const char* kOrders[] = {"number", "started", "game", "length", "frames", "average"};

Store::Which which(const RunsArgs& options) { return options.removed ? Store::Which::removed : Store::Which::kept; }

/// The runs that pass the filter, in the chosen order.
std::vector<RunInfo> chosen_runs(const Store& store, const RunsArgs& options) {
  auto runs = store.runs(options.json ? Store::Facts::all : Store::Facts::none, which(options));
  std::erase_if(runs, [&](const RunInfo& run) { return !options.filter.matches(run); });
  sort_runs(runs, *run_order_from(options.order));
  if (options.reverse) std::reverse(runs.begin(), runs.end());
  return runs;
}

/// Empty if none was chosen.
std::optional<FigureSet> chosen_figures(const RunsArgs& options) {
  if (options.figures.empty()) return std::nullopt;
  return FigureSet::named(options.figures, usual_settings(options.settings).figures);
}

void list_figures(const Store& store, std::vector<RunInfo> runs, const FigureSet& set, bool json) {
  const auto insights =
      insights_of_list(store, std::move(runs), {.figures = set.request(), .hitches = 0, .readings = set.readings()});
  if (json) return write_raw(figures_json(insights, set) + "\n");
  std::vector<std::string> about;
  for (const RunInsight& run : insights) about.push_back(printable(run_remarks(run.info)));
  print("{}", runs_by_figures(insights, set, about));
}

int list(const RunsArgs& options) {
  const Store store(options.store, Store::Mode::existing);
  auto runs = chosen_runs(store, options);
  if (const auto set = chosen_figures(options); set && !runs.empty()) {
    std::erase_if(runs, [](const RunInfo& run) { return !run.problem.empty(); });
    list_figures(store, std::move(runs), *set, options.json);
    return 0;
  }
  if (options.json) {
    write_raw(runs_json(runs) + "\n");
    return 0;
  }
  if (!runs.empty()) {
    print("{}", run_list_text(runs, options.sizes ? store.sizes() : std::map<std::int64_t, std::uint64_t>()));
    return 0;
  }
  const bool any = !store.runs(Store::Facts::none, which(options)).empty();
  print("{}: {}\n", options.store, any ? "no such runs" : options.removed ? "no removed runs" : "no runs yet");
  return 0;
}

std::vector<SureFigure> intervals_of_run(const Store& store, std::int64_t id, const RunsArgs& options) {
  if (!options.intervals) return {};
  std::vector<Nanoseconds> intervals = store.intervals(id);
  if (options.leave_out == "loading") std::erase_if(intervals, &is_loading);
  return intervals_of(intervals, options.all || options.json ? SummaryRequest{} : screen_request());
}

void print_runs(const std::vector<RunInsight>& runs, const std::vector<std::vector<SureFigure>>& intervals, bool all) {
  const RunInsight& first = runs.front();
  if (runs.size() > 1) {
    const SideBySide side = runs_side_by_side(runs, all ? ReadingChoice::all : ReadingChoice::main);
    print("{}", side.text);
    if (side.left_out > 0) print("  {} more (single cores, constant values): show them with --all\n", side.left_out);
  } else if (all) {
    print("{}", run_statistics_text(first));
  } else {
    print("{}", run_screen(first, intervals.front()));
    if (is_log(first.info))
      print("  --all shows its readings, 'idlemeter changes {}' what changed in it\n", first.info.id);
  }
}

int show(const RunsArgs& options) {
  const Store store(options.store, Store::Mode::existing);
  const auto set = chosen_figures(options);
  const auto ids = run_lists(options.runs);
  const bool is_screen = ids.size() == 1 && !options.all && !options.json && !set;
  InsightOptions how;
  how.leave_out_loading = options.leave_out == "loading";
  if (is_screen) how.figures = screen_request();
  if (set) how.figures = set->request();
  std::vector<RunInsight> runs;
  std::vector<std::vector<SureFigure>> intervals;
  catch_ctrl_c();
  for (const std::int64_t id : ids) {
    runs.push_back(insight_of(store, id, how));
    intervals.push_back(intervals_of_run(store, id, options));
    if (stopped()) return 1;
  }
  if (set && options.json) {
    write_raw(figures_json(runs, *set) + "\n");
  } else if (set) {
    print("{}", figures_by_runs(runs, *set));
  } else if (options.json) {
    write_raw(insight_json(runs, intervals) + "\n");
  } else {
    print_runs(runs, intervals, options.all);
  }
  return 0;
}

std::string read_rule(const std::string& word, std::string& rule) {
  if (word != "loading") return fmt::format("'{}' isn't a rule; 'loading' leaves out frames over a second", word);
  rule = word;
  return "";
}

Option add_figure_options(Command command, RunsArgs& options) {
  command.option("--settings", options.settings,
                 "The settings file with the sets of figures, instead of " + usual_settings_path().string());
  return command.option("--figures", options.figures,
                        "Only these: a set saved under [figures] in the settings, or ids like "
                        "frame.average,frame.low@1%,gpu.power,\"gpu.temp most\"");
}

void add_list_options(Command runs, const std::shared_ptr<RunsArgs>& options) {
  runs.option("--store", options->store, "The store with the runs").shows_default();
  runs.flag("--json", options->json, "As JSON");
  add_figure_options(runs, *options);
  runs.option("--game", options->filter.game, "Only runs of games with this in their name");
  add_setting_filter(runs, options->filter.settings, options->filter.tags);
  runs.option("--since", options->filter.since, "Only runs since this day or time, UTC, like 2026-03-01");
  runs.option("--until", options->filter.until, "Only runs up to this day or time");
  runs.option("--text", options->filter.text, "Only runs with this in the game's name, the note, a tag or a setting");
  runs.option("--order", options->order, "What to order by: number, started, game, length, frames or average")
      .check(one_of({std::begin(kOrders), std::end(kOrders)}));
  runs.flag("--reverse", options->reverse, "Reverse the order");
  runs.flag("--sizes", options->sizes, "Show how much space each run takes");
  runs.flag("--removed", options->removed, "Runs that were removed, and can be restored")
      .excludes(runs.option("--figures"));
}

void add_show(Command runs, const std::shared_ptr<RunsArgs>& options) {
  Command command =
      runs.add("show", "Statistics of a run, or of several side by side", [options] { return show(*options); });
  command.option("RUN", options->runs, "Runs as 'idlemeter runs' lists them, like 3 or 1-2,5")
      .required()
      .check(is_run_list());
  command.option("--store", options->store, "The store with the runs").shows_default();
  command.flag("--json", options->json, "As JSON");
  command.flag("--all", options->all, "Show every definition, percentile and reading instead of one screen");
  Option figures = add_figure_options(command, *options);
  figures.excludes(command.option("--all"));
  command
      .flag("--intervals", options->intervals,
            "Show 95 % intervals of the figures, as if this stretch of play continued")
      .excludes(figures);
  command.option(
      "--leave-out", [options](const std::string& word) { return read_rule(word, options->leave_out); },
      "'loading': leave frames over a second out of every figure");
}

}  // namespace

void add_runs(Command app) {
  const auto options = std::make_shared<RunsArgs>();
  Command runs = app.add("runs", "List recorded runs and show their statistics", [options] { return list(*options); });
  add_list_options(runs, options);
  add_show(runs, options);
  add_run_changes(runs);
  add_run_export(runs);
  add_run_import(runs);
}

}  // namespace idlemeter::cli
