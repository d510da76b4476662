// idlemeter runs: what was recorded.
#include <fmt/format.h>

#include <memory>

#include "command.hpp"
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

void print_json(const nlohmann::ordered_json& json) {
  write_raw(json_text(json.dump(2, ' ', false, nlohmann::json::error_handler_t::replace)) + "\n");
}

int list(const Options& options) {
  const Store store(options.store, Store::Mode::existing);
  const auto runs = store.runs();
  if (options.json) {
    auto all = nlohmann::ordered_json::array();
    for (const RunInfo& run : runs) all.push_back(to_json(run));
    print_json(all);
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
    auto all = nlohmann::ordered_json::array();
    for (const RunFigures& run : runs) all.push_back(to_json(run));
    print_json(runs.size() == 1 ? all.front() : all);
  } else {
    const Readings readings = options.all ? Readings::all : Readings::main;
    print("{}", runs.size() == 1 ? run_table(runs.front(), readings) : comparison_table(runs, readings));
  }
  return 0;
}

}  // namespace

void add_runs(CLI::App& app, Action& action) {
  const auto options = std::make_shared<Options>();
  CLI::App* runs = app.add_subcommand("runs", "List recorded runs and show their statistics");
  runs->require_subcommand(0, 1);
  runs->add_option("--store", options->store, "The file that holds runs")->capture_default_str();
  runs->add_flag("--json", options->json, "As JSON");
  runs->callback([options, &action, runs] {
    if (runs->get_subcommands().empty()) action = [options] { return list(*options); };
  });
  CLI::App* command = runs->add_subcommand("show", "Statistics of a run, or of several side by side");
  command->add_option("RUN", options->runs, "Numbers of runs, as 'idlemeter runs' lists them")->required();
  command->add_option("--store", options->store, "The file that holds runs")->capture_default_str();
  command->add_flag("--json", options->json, "As JSON");
  command->add_flag("--all", options->all,
                    "Every reading, also of single cores, cards under their numbers, and what stood still");
  command->callback([options, &action] { action = [options] { return show(*options); }; });
}

}  // namespace idlemeter::cli
