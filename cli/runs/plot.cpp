// idlemeter plot: runs as pictures.
#include <fmt/format.h>

#include <memory>

#include "commands.hpp"
#include "idlemeter/base/duration.hpp"
#include "idlemeter/plot/run_plot.hpp"
#include "idlemeter/plot/write_plot.hpp"
#include "idlemeter/runs/run_list.hpp"
#include "idlemeter/runs/store.hpp"
#include "output.hpp"
#include "play/plan_options.hpp"
#include "runs/group_options.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

using What = RunPlotOptions::What;

struct PlotArgs {
  std::string store = usual_store();
  std::vector<std::string> runs, span;
  std::string what = "time", file;
  RunPlotOptions how;
};

constexpr const char* kWhat[] = {"time", "spread", "percentiles"};

int plot(PlotArgs& options) {
  if (!options.span.empty()) {
    const auto from = duration_from(options.span[0], "s"), to = duration_from(options.span[1], "s");
    if (!from || !to || *from >= *to)
      return misuse("plot", "--span takes two times, the first before the second, like --span 0:10 0:20");
    options.how.span = {*from, *to};
  }
  if (options.what == "spread") options.how.what = What::spread;
  if (options.what == "percentiles") options.how.what = What::percentiles;
  const Store store(options.store, Store::Mode::existing);
  write_plot(run_plot(store, run_lists(options.runs), options.how), options.file);
  print("{}\n", options.file);
  return 0;
}

}  // namespace

void add_plot(Command app) {
  const auto options = std::make_shared<PlotArgs>();
  Command command = app.add("plot", "Draw runs as a PNG or SVG: frame times over time, their spread, percentiles",
                            [options] { return plot(*options); });
  command.option("RUNS", options->runs, "Runs, like 3 or 1-2,5; up to six are overlaid")
      .required()
      .check(is_run_list());
  command.option("-o,--output", options->file, "The .png or .svg file to write").required().check(is_picture_name());
  command.option("--what", options->what, "time, spread or percentiles")
      .check(one_of({std::begin(kWhat), std::end(kWhat)}))
      .shows_default();
  command
      .option("--reading", options->how.readings,
              "A reading to plot below the frame times, like gpu.temp; may be repeated")
      .repeats();
  command.option("--span", options->span, "Plot only the time between two moments, like 0:10 0:20").takes(2);
  command.option(
      "--size", [options](const std::string& text) { return read_size(text, options->how.width, options->how.height); },
      "Width and height in pixels; by default 1280x720");
  command.flag("--dark", options->how.dark, "Draw on a dark background");
  lack_groups(command);
  command.option("--store", options->store, "The store with the runs").shows_default();
}

}  // namespace idlemeter::cli
