// idlemeter runs: what was recorded.
#include <fmt/format.h>
#include <unistd.h>

#include <functional>
#include <memory>

#include "commands.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/insight/interval.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/runs/store.hpp"
#include "json.hpp"
#include "output.hpp"
#include "run_screen.hpp"
#include "run_tables.hpp"
#include "terminal.hpp"

namespace idlemeter::cli {
namespace {

struct Options {
  std::string store = Store::usual_path().string();
  std::vector<std::int64_t> runs;
  bool json = false;
  bool all = false, intervals = false;
  std::string leave_out;
};

int list(const Options& options) {
  const Store store(options.store, Store::Mode::existing);
  const auto runs = store.runs();
  if (options.json) {
    write_raw(runs_json(runs) + "\n");
  } else {
    print("{}", runs.empty() ? fmt::format("{}: no runs yet\n", options.store) : list_table(runs));
  }
  return 0;
}

/// Progress on the terminal, for what takes longer than a second. Ctrl-C ends it.
class Progress {
 public:
  bool operator()(double done) {
    const bool late = monotonic_now() - begin_ > kSecond;
    if (late && ::isatty(2) != 0) complain("\rintervals: {:.0f} %", 100 * done);
    shown_ = shown_ || late;
    return !stopped();
  }
  ~Progress() {
    if (shown_ && ::isatty(2) != 0) complain("\r                 \r");
  }

 private:
  Moment begin_ = monotonic_now();
  bool shown_ = false;
};

std::vector<SureFigure> intervals_of_run(const Store& store, std::int64_t id, const Options& options) {
  if (!options.intervals) return {};
  Progress progress;
  std::vector<Nanoseconds> intervals = store.intervals(id);
  if (options.leave_out == "loading") std::erase_if(intervals, [](Nanoseconds one) { return one > kSecond; });
  IntervalOptions how;
  how.progress = std::ref(progress);
  return intervals_of(intervals, options.all || options.json ? SummaryRequest{} : screen_request(), how);
}

int show(const Options& options) {
  const Store store(options.store, Store::Mode::existing);
  const bool is_screen = options.runs.size() == 1 && !options.all && !options.json;
  InsightOptions how;
  how.leave_out_loading = options.leave_out == "loading";
  if (is_screen) how.figures = screen_request();
  std::vector<RunInsight> runs;
  std::vector<std::vector<SureFigure>> intervals;
  catch_ctrl_c();
  for (const std::int64_t id : options.runs) {
    runs.push_back(insight_of(store, id, how));
    intervals.push_back(intervals_of_run(store, id, options));
    if (stopped()) return 1;
  }
  if (options.json) {
    write_raw(insight_json(runs, intervals) + "\n");
  } else if (runs.size() > 1) {
    print("{}", comparison_table(runs, options.all ? Readings::all : Readings::main));
  } else if (options.all) {
    print("{}", statistics_table(runs.front()));
  } else {
    print("{}", run_screen(runs.front(), intervals.front()));
  }
  return 0;
}

std::string read_rule(const std::string& word, std::string& rule) {
  if (word != "loading") return fmt::format("'{}' isn't a rule; 'loading' leaves out frames over a second", word);
  rule = word;
  return "";
}

}  // namespace

void add_runs(Command app) {
  const auto options = std::make_shared<Options>();
  Command runs = app.add("runs", "List recorded runs and show their statistics", [options] { return list(*options); });
  runs.option("--store", options->store, "The file that holds runs").shows_default();
  runs.flag("--json", options->json, "As JSON");
  Command command =
      runs.add("show", "Statistics of a run, or of several side by side", [options] { return show(*options); });
  command.option("RUN", options->runs, "Numbers of runs, as 'idlemeter runs' lists them").required();
  command.option("--store", options->store, "The file that holds runs").shows_default();
  command.flag("--json", options->json, "As JSON");
  command.flag("--all", options->all, "Every definition, percentile and reading, instead of one screen");
  command.flag("--intervals", options->intervals,
               "Show how certain the figures are: 95 % intervals (stationary bootstrap)");
  command.option(
      "--leave-out", [options](const std::string& word) { return read_rule(word, options->leave_out); },
      "'loading': leave frames over a second out of every figure");
}

}  // namespace idlemeter::cli
