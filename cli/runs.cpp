// idlemeter runs: what was recorded.
#include <fmt/format.h>

#include <memory>

#include "commands.hpp"
#include "idlemeter/runs/store.hpp"
#include "json.hpp"
#include "output.hpp"
#include "run_tables.hpp"

namespace idlemeter::cli {
namespace {

struct Options {
  std::string store = Store::usual_path().string();
  std::vector<std::int64_t> runs;
  bool json = false;
  bool all = false;
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

int show(const Options& options) {
  const Store store(options.store, Store::Mode::existing);
  std::vector<RunFigures> runs;
  for (std::int64_t id : options.runs) runs.push_back(figures_of(store, id));
  if (options.json) {
    write_raw(figures_json(runs) + "\n");
  } else {
    const Readings readings = options.all ? Readings::all : Readings::main;
    print("{}", runs.size() == 1 ? run_table(runs.front(), readings) : comparison_table(runs, readings));
  }
  return 0;
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
  command.flag("--all", options->all, "Every reading, including single cores and values that didn't change");
}

}  // namespace idlemeter::cli
