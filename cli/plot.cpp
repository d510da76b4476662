// idlemeter plot: runs as pictures.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <future>
#include <memory>

#include "commands.hpp"
#include "gnuplot.hpp"
#include "idlemeter/base/duration.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/nearest.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/frames/stutter.hpp"
#include "idlemeter/insight/plot_data.hpp"
#include "idlemeter/insight/runs_during.hpp"
#include "idlemeter/insight/words.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/runs/store.hpp"
#include "output.hpp"
#include "plan_options.hpp"
#include "run_lists.hpp"
#include "run_tables.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

constexpr std::size_t kMostRuns = 6;  // as many colours as can be told apart

struct Options {
  std::string store = usual_store();
  std::vector<std::string> runs, readings;
  std::string what = "time", file;
  std::vector<std::string> span;
  Plot plot;
};

constexpr const char* kWhat[] = {"time", "spread", "percentiles"};

/// What is plotted of one run.
struct Run {
  RunInfo info;
  std::vector<FrameRecord> frames;
  std::vector<RunSeries> series = {};
  std::string name = {};
};

bool is_called(const ReadingInfo& info, const std::string& id) {
  return (info.id == id || info.alias == id) && !info.text;
}

std::vector<Run> read_runs(const Store& store, const Options& options) {
  std::vector<Run> runs;
  const auto ids = run_lists(options.runs);
  if (ids.size() > kMostRuns)
    throw Error(Error::Code::invalid, fmt::format("a plot shows up to {} runs", kMostRuns), "", "name fewer");
  for (const std::int64_t id : ids) {
    Run run{store.run(id), store.frames(id)};
    const auto is_plotted = [&](const ReadingInfo& info) {
      return info.text || std::any_of(options.readings.begin(), options.readings.end(),
                                      [&](const std::string& reading) { return is_called(info, reading); });
    };
    if (options.what == "time") run.series = store.series(id, is_plotted);
    run.name = run_words(run.info);
    runs.push_back(std::move(run));
  }
  return runs;
}

/// "run 1, Ultra: average 91.2 FPS, 1% low 47.4 FPS" for the key.
std::string name_with_figures(const Run& run) {
  const Summary summary =
      summarize(intervals_in(run.frames), {{Share::percent(1)}, {LowDefinition::mean_of_slowest}, {}});
  if (!summary.average_rate) return run.name;
  const Low* low = summary.low(Share::percent(1));
  return fmt::format("{}: average {:.1f} FPS, 1% low {:.1f}{}", run.name, *summary.average_rate, low->rate,
                     low->enough_frames ? "" : "*");
}

std::string game_of(const std::vector<Run>& runs) {
  const std::string& first = runs.front().info.details.game;
  const bool same =
      std::all_of(runs.begin(), runs.end(), [&](const Run& run) { return run.info.details.game == first; });
  return same && !first.empty() ? first + ": " : "";
}

const RunSeries* series_of(const Run& run, const std::string& id) {
  const auto found =
      std::find_if(run.series.begin(), run.series.end(), [&](const RunSeries& one) { return is_called(one.info, id); });
  return found == run.series.end() ? nullptr : &*found;
}

Panel panel_of(const Store& store, const std::vector<Run>& runs, const std::string& id, std::size_t columns) {
  Panel panel;
  for (std::size_t i = 0; i < runs.size(); ++i) {
    const RunSeries* series = series_of(runs[i], id);
    if (series == nullptr) continue;
    const std::string unit(symbol(series->info.unit));
    panel.title = series->info.title;
    panel.y_title = unit;
    panel.curves.push_back({"", thinned(reading_line(*series), columns), i, Curve::Look::line});
    panel.from_zero = series->info.unit != Unit::celsius && series->info.unit != Unit::megahertz;
  }
  if (!panel.curves.empty()) return panel;
  const std::vector<ReadingInfo> readings = store.readings(runs.front().info.id);
  std::vector<std::string_view> ids;
  for (const ReadingInfo& one : readings) ids.push_back(one.id);
  throw Error(Error::Code::not_found, fmt::format("no run has the reading '{}'{}", id, did_you_mean(id, ids)), "",
              "'idlemeter runs show RUN --all' lists them");
}

void plot_time(Plot& plot, const Store& store, std::vector<Run>& runs, const std::vector<RunMeanwhile>& meanwhile,
               const Options& options) {
  double end = 0;
  for (const Run& run : runs) {
    end = std::max(end, in_seconds(run.frames.empty() ? run.info.length : run.frames.back().at.time_since_epoch()));
  }
  plot.x_from = 0;
  plot.x_to = std::max(end, 1e-3);
  if (options.span.size() == 2) {
    const auto from = duration_from(options.span[0], "s"), to = duration_from(options.span[1], "s");
    plot.x_from = in_seconds(*from);
    plot.x_to = in_seconds(*to);
  }
  const auto is_outside = [&](Moment at) {
    const double here = in_seconds(at.time_since_epoch());
    return here < plot.x_from || here > plot.x_to;
  };
  const auto columns = static_cast<std::size_t>(plot.width);
  Panel rate{"Frame rate of each second", "FPS", {}, 1}, time{"Time of each frame", "ms", {}, 2};
  const bool has_frames = std::any_of(runs.begin(), runs.end(), [](const Run& run) { return !run.frames.empty(); });
  for (std::size_t i = 0; has_frames && i < runs.size(); ++i) {
    // Of hours each takes a while: beside each other.
    auto figures = std::async(std::launch::async, [&run = runs[i]] { return name_with_figures(run); });
    const Stutters stutters = find_stutters(runs[i].frames);
    const std::string name = figures.get();
    if (!options.span.empty())
      std::erase_if(runs[i].frames, [&](const FrameRecord& frame) { return is_outside(frame.at); });
    auto rates = std::async(std::launch::async,
                            [&run = runs[i], columns] { return thinned(frame_rate_line(run.frames), columns); });
    time.curves.push_back({"", frame_time_line(runs[i].frames, columns), i, Curve::Look::thin_line});
    rate.curves.push_back({name, rates.get(), i, Curve::Look::line});
    Curve dots{i == 0 ? "stutters" : "", {}, i, Curve::Look::dots};
    for (const Stutter& one : stutters.frames) {
      if (!is_outside(one.at))
        dots.points.push_back({in_seconds(one.at.time_since_epoch()), in_milliseconds(one.length)});
    }
    dots.points = thinned(dots.points, columns);
    time.curves.push_back(std::move(dots));
  }
  plot.title = has_frames ? game_of(runs) + "frame rate and frame time" : "readings over time";
  plot.x_title = "seconds since the start of the run";
  if (has_frames) plot.panels = {rate, time};
  for (const std::string& id : options.readings) plot.panels.push_back(panel_of(store, runs, id, columns));
  for (std::size_t i = 0; !has_frames && i < plot.panels.front().curves.size(); ++i)
    plot.panels.front().curves[i].title = runs[plot.panels.front().curves[i].color].name;
  if (runs.size() == 1) {
    plot.marks = marks_in(runs.front().series);
    for (const RunMeanwhile& other : meanwhile)
      plot.marks.push_back({in_seconds(other.begin), fmt::format("run {}", other.id)});
  }
}

void plot_spread(Plot& plot, const std::vector<Run>& runs) {
  double most = 1;
  for (const Run& run : runs) most = std::max(most, distribution_reach(run.frames));
  constexpr std::size_t kBins = 160;
  Panel panel{"", "share of the frames, %", {}, 1};
  for (std::size_t i = 0; i < runs.size(); ++i)
    panel.curves.push_back(
        {name_with_figures(runs[i]), distribution(runs[i].frames, most, kBins), i, Curve::Look::steps});
  plot.title = game_of(runs) + "how frame times are spread";
  plot.x_title = fmt::format("frame time, ms (bins of {:.2g} ms; longer frames are in the last)", most / kBins);
  plot.x_to = most;
  plot.panels = {panel};
}

void plot_percentiles(Plot& plot, const std::vector<Run>& runs) {
  const auto place = [](double percent) { return -std::log10(1 - percent / 100); };
  Panel panel{"", "frame time, ms", {}, 1};
  for (std::size_t i = 0; i < runs.size(); ++i) {
    Curve curve{name_with_figures(runs[i]), percentile_curve(runs[i].frames), i, Curve::Look::line};
    for (PlotPoint& point : curve.points) {
      point.x = place(point.x);
      plot.x_to = std::max(plot.x_to, point.x);
    }
    panel.curves.push_back(std::move(curve));
  }
  for (const double percent : {0.0, 50.0, 75.0, 90.0, 95.0, 99.0, 99.9, 99.99, 99.999})
    plot.x_ticks.push_back({place(percent), fmt::format("{:g}", percent)});
  plot.title = game_of(runs) + "percentiles of frame time";
  plot.x_title = "percentile (so many percent of the frames are as fast or faster)";
  plot.panels = {panel};
}

/// Whether --span, if it is there, can be.
bool is_span_right(const Options& options) {
  if (options.span.empty()) return true;
  const auto from = duration_from(options.span[0], "s"), to = duration_from(options.span[1], "s");
  return from && to && *from < *to;
}

int plot(const Options& options) {
  if (!is_span_right(options))
    return misuse("plot", "--span takes two times, the first before the second, like --span 0:10 0:20");
  const Store store(options.store, Store::Mode::existing);
  std::vector<Run> runs = read_runs(store, options);
  const bool has_frames = std::any_of(runs.begin(), runs.end(), [](const Run& run) { return !run.frames.empty(); });
  if (!has_frames && (options.what != "time" || options.readings.empty()))
    throw Error(Error::Code::invalid, "there are no frames to plot", options.store,
                "name readings of a log with --reading, like gpu.temp");
  Plot made = options.plot;
  std::vector<RunMeanwhile> meanwhile;  // what was played during a log
  if (!has_frames) meanwhile = runs_during(store.runs(Store::Facts::none), runs.front().info);
  if (options.what == "time") plot_time(made, store, runs, meanwhile, options);
  if (options.what == "spread") plot_spread(made, runs);
  if (options.what == "percentiles") plot_percentiles(made, runs);
  write_plot(made, options.file);
  print("{}\n", options.file);
  return 0;
}

}  // namespace

void add_plot(Command app) {
  const auto options = std::make_shared<Options>();
  Command command = app.add("plot", "Draw runs as a PNG or SVG: frame times over time, their spread, percentiles",
                            [options] { return plot(*options); });
  command.option("RUNS", options->runs, "Runs, like 3 or 1-2,5; up to six lie over each other")
      .required()
      .check(is_run_list());
  command.option("-o,--output", options->file, "The picture: a name that ends with .png or .svg")
      .required()
      .check(is_picture_name());
  command.option("--what", options->what, "time, spread or percentiles")
      .check(one_of({std::begin(kWhat), std::end(kWhat)}))
      .shows_default();
  command.option("--reading", options->readings, "A reading below the frame times, like gpu.temp; may be repeated")
      .repeats();
  command.option("--span", options->span, "Only from this time to that, like 0:10 0:20").takes(2);
  command.option(
      "--size",
      [options](const std::string& text) { return read_size(text, options->plot.width, options->plot.height); },
      "Width and height in pixels; 1280x720 unless said otherwise");
  command.flag("--dark", options->plot.dark, "On dark ground");
  command.lacks("--by,--tag",
                "runs are named by their numbers here: 'idlemeter runs --tag TAG' lists them, and compare "
                "and report take both options");
  command.option("--store", options->store, "The file that holds runs").shows_default();
}

}  // namespace idlemeter::cli
