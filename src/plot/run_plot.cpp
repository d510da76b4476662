#include "idlemeter/plot/run_plot.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <future>
#include <string_view>
#include <tuple>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/nearest.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/frames/stutter.hpp"
#include "idlemeter/insight/plot_data.hpp"
#include "idlemeter/insight/runs_during.hpp"
#include "idlemeter/insight/words.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter {
namespace {

using What = RunPlotOptions::What;

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

std::vector<Run> read_runs(const Store& store, std::span<const std::int64_t> ids, const RunPlotOptions& options) {
  if (ids.size() > kMostPlottedRuns)
    throw Error(Error::Code::invalid, fmt::format("a plot shows up to {} runs", kMostPlottedRuns), "", "name fewer");
  std::vector<Run> runs;
  for (const std::int64_t id : ids) {
    Run run{store.run(id), store.frames(id)};
    const auto is_plotted = [&](const ReadingInfo& info) {
      return info.text || std::any_of(options.readings.begin(), options.readings.end(),
                                      [&](const std::string& reading) { return is_called(info, reading); });
    };
    if (options.what == What::time) run.series = store.series(id, is_plotted);
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

[[noreturn]] void refuse_unknown(const std::string& id, const Store& store, std::int64_t run) {
  const std::vector<ReadingInfo> readings = store.readings(run);
  std::vector<std::string_view> ids;
  for (const ReadingInfo& one : readings) ids.push_back(one.id);
  throw Error(Error::Code::not_found, fmt::format("no run has the reading '{}'{}", id, did_you_mean(id, ids)),
              store.path().string(), "name one that the run has", Error::Hint::run_readings);
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
  if (panel.curves.empty()) refuse_unknown(id, store, runs.front().info.id);
  return panel;
}

bool any_frames(const std::vector<Run>& runs) {
  return std::any_of(runs.begin(), runs.end(), [](const Run& run) { return !run.frames.empty(); });
}

/// From the first moment to the last that is shown.
std::pair<double, double> reach_of(const std::vector<Run>& runs, const RunPlotOptions& options) {
  if (options.span) return {in_seconds(options.span->first), in_seconds(options.span->second)};
  double end = 1e-3;
  for (const Run& run : runs)
    end = std::max(end, in_seconds(run.frames.empty() ? run.info.length : run.frames.back().at.time_since_epoch()));
  return {0, end};
}

/// A run's curves in the panels of the rate and of frame times. Its frames outside of the plot are given up.
void add_frames(const Plot& plot, Run& run, std::size_t place, Panel& rate, Panel& time) {
  const auto columns = static_cast<std::size_t>(plot.width);
  const auto is_outside = [&](Moment at) {
    const double here = in_seconds(at.time_since_epoch());
    return here < plot.x_from || here > plot.x_to;
  };
  // Of hours each takes a while: beside each other.
  auto figures = std::async(std::launch::async, [&run] { return name_with_figures(run); });
  const Stutters stutters = find_stutters(run.frames);
  const std::string name = figures.get();
  std::erase_if(run.frames, [&](const FrameRecord& frame) { return is_outside(frame.at); });
  auto rates = std::async(std::launch::async, [&] { return thinned(frame_rate_line(run.frames), columns); });
  time.curves.push_back({"", frame_time_line(run.frames, columns), place, Curve::Look::thin_line});
  rate.curves.push_back({name, rates.get(), place, Curve::Look::line});
  Curve dots{place == 0 ? "stutters" : "", {}, place, Curve::Look::dots};
  for (const Stutter& one : stutters.frames) {
    if (!is_outside(one.at))
      dots.points.push_back({in_seconds(one.at.time_since_epoch()), in_milliseconds(one.length)});
  }
  dots.points = thinned(dots.points, columns);
  time.curves.push_back(std::move(dots));
}

void add_marks(Plot& plot, const Run& run, const std::vector<RunMeanwhile>& meanwhile) {
  for (const RunMark& mark : marks_in(run.series))
    plot.marks.push_back({in_seconds(mark.at.time_since_epoch()), mark.about});
  for (const RunMeanwhile& other : meanwhile)
    plot.marks.push_back({in_seconds(other.begin), fmt::format("run {}", other.id)});
}

void plot_time(Plot& plot, const Store& store, std::vector<Run>& runs, const RunPlotOptions& options) {
  std::tie(plot.x_from, plot.x_to) = reach_of(runs, options);
  Panel rate{"Frame rate of each second", "FPS", {}, 1}, time{"Time of each frame", "ms", {}, 2};
  const bool has_frames = any_frames(runs);
  const std::vector<RunMeanwhile> meanwhile =
      has_frames ? std::vector<RunMeanwhile>() : runs_during(store.runs(Store::Facts::none), runs.front().info);
  for (std::size_t i = 0; has_frames && i < runs.size(); ++i) add_frames(plot, runs[i], i, rate, time);
  plot.title = has_frames ? game_of(runs) + "frame rate and frame time" : "readings over time";
  plot.x_title = "seconds since the start of the run";
  if (has_frames) plot.panels = {rate, time};
  for (const std::string& id : options.readings)
    plot.panels.push_back(panel_of(store, runs, id, static_cast<std::size_t>(plot.width)));
  for (std::size_t i = 0; !has_frames && i < plot.panels.front().curves.size(); ++i)
    plot.panels.front().curves[i].title = runs[plot.panels.front().curves[i].color].name;
  if (runs.size() == 1) add_marks(plot, runs.front(), meanwhile);
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

/// Where a percentile stands: each further nine is as long as the one before it.
double place_of_percentile(double percent) { return -std::log10(1 - percent / 100); }

void add_percentile_ticks(Plot& plot) {
  for (const double percent : {0.0, 50.0, 75.0, 90.0, 95.0, 99.0, 99.9, 99.99, 99.999})
    plot.x_ticks.push_back({place_of_percentile(percent), fmt::format("{:g}", percent)});
  plot.x_title = "percentile (so many percent of the frames are as fast or faster)";
}

void plot_percentiles(Plot& plot, const std::vector<Run>& runs) {
  Panel panel{"", "frame time, ms", {}, 1};
  for (std::size_t i = 0; i < runs.size(); ++i) {
    Curve curve{name_with_figures(runs[i]), percentile_curve(runs[i].frames), i, Curve::Look::line};
    for (PlotPoint& point : curve.points) {
      point.x = place_of_percentile(point.x);
      plot.x_to = std::max(plot.x_to, point.x);
    }
    panel.curves.push_back(std::move(curve));
  }
  add_percentile_ticks(plot);
  plot.title = game_of(runs) + "percentiles of frame time";
  plot.panels = {panel};
}

}  // namespace

Plot run_plot(const Store& store, std::span<const std::int64_t> ids, const RunPlotOptions& options) {
  std::vector<Run> runs = read_runs(store, ids, options);
  if (runs.empty() || (!any_frames(runs) && (options.what != What::time || options.readings.empty())))
    throw Error(Error::Code::invalid, "there are no frames to plot", store.path().string(),
                "name readings of a log, like gpu.temp", Error::Hint::log_readings);
  Plot plot{
      .title = "", .x_title = "", .panels = {}, .width = options.width, .height = options.height, .dark = options.dark};
  if (options.what == What::time) plot_time(plot, store, runs, options);
  if (options.what == What::spread) plot_spread(plot, runs);
  if (options.what == What::percentiles) plot_percentiles(plot, runs);
  return plot;
}

}  // namespace idlemeter
