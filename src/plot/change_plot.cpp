#include "idlemeter/plot/change_plot.hpp"

#include <algorithm>
#include <string>
#include <vector>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/insight/change_words.hpp"
#include "idlemeter/insight/plot_data.hpp"
#include "idlemeter/insight/words.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter {
namespace {

constexpr std::size_t kEvents = 5, kPanels = 5;

double seconds_of(Moment at) { return in_seconds(at.time_since_epoch()); }

/// Minutes and seconds, as the words have them: about ten ticks.
std::vector<Tick> time_ticks(double seconds) {
  constexpr double kSteps[] = {1,   2,   5,     10,    15,    30,     60,     120,   300,
                               600, 900, 1'800, 3'600, 7'200, 14'400, 43'200, 86'400};
  constexpr double kMost = 12;
  const auto* const step =
      std::find_if(std::begin(kSteps), std::end(kSteps) - 1, [&](double one) { return seconds / one <= kMost; });
  std::vector<Tick> ticks;
  for (double at = 0; at <= seconds; at += *step) ticks.push_back({at, second_words(Moment{from_seconds(at)})});
  return ticks;
}

std::vector<ChangeEvent> foremost_few(const Changes& changes) {
  std::vector<ChangeEvent> events = foremost_events(changes);
  if (events.empty()) events = foremost_events(changes, true);
  events.resize(std::min(events.size(), kEvents));
  return events;
}

bool is_of_frames(const ReadingChange& change) { return change.info.kind == DeviceKind::frames; }

/// Readings with a panel each: the frame rate, other figures of frames, then one other reading of each event.
std::vector<ReadingInfo> readings_of(const std::vector<ChangeEvent>& events) {
  std::vector<ReadingInfo> rate, frames, others;
  const auto add = [](std::vector<ReadingInfo>& to, const ReadingInfo& info) {
    const auto is_it = [&](const ReadingInfo& one) { return one.id == info.id; };
    const bool is_new = std::none_of(to.begin(), to.end(), is_it);
    if (is_new) to.push_back(info);
    return is_new;
  };
  for (const ChangeEvent& event : events) {
    const ReadingChange& first = event.readings.front();
    if (is_of_frames(first)) add(first.info.id == "frame.rate" ? rate : frames, first.info);
    for (const ReadingChange& change : event.readings) {
      if (!is_of_frames(change) && add(others, change.info)) break;
    }
  }
  rate.insert(rate.end(), frames.rbegin(), frames.rend());
  rate.insert(rate.end(), others.begin(), others.end());
  return rate;
}

/// At the events and where runs began. Texts that would lie over each other are left out.
std::vector<PlotMark> marks_of(const std::vector<ChangeEvent>& events, const ChangeSubject& subject, double seconds) {
  constexpr double kApart = 0.04;
  std::vector<PlotMark> marks;
  for (const ChangeEvent& event : events)
    marks.push_back({seconds_of(event.readings.front().at), second_words(event.readings.front().at)});
  for (const RunMeanwhile& run : subject.meanwhile)
    marks.push_back({in_seconds(run.begin), "run " + std::to_string(run.id)});
  std::stable_sort(marks.begin(), marks.end(), [](const PlotMark& a, const PlotMark& b) { return a.at < b.at; });
  double last = -1e9;
  for (PlotMark& mark : marks) {
    if (mark.at - last < kApart * seconds) mark.text.clear();
    if (!mark.text.empty()) last = mark.at;
  }
  return marks;
}

}  // namespace

Plot change_plot(const Changes& changes, const ChangeSubject& subject, std::size_t columns) {
  const std::vector<ChangeEvent> events = foremost_few(changes);
  const double seconds = std::max(1.0, in_seconds(subject.length));
  Plot plot{.title = subject.name + ": what changed",
            .x_title = "minutes and seconds since the start",
            .panels = {},
            .x_ticks = time_ticks(in_seconds(subject.length)),
            .x_from = 0,
            .x_to = seconds,
            .marks = marks_of(events, subject, seconds)};
  for (const ReadingInfo& info : readings_of(events)) {
    if (plot.panels.size() == kPanels) break;
    const bool is_there = std::any_of(plot.panels.begin(), plot.panels.end(),
                                      [&](const Panel& panel) { return panel.title == info.title; });
    const auto series = std::find_if(subject.seconds.begin(), subject.seconds.end(),
                                     [&](const SecondSeries& one) { return one.info.id == info.id; });
    if (is_there || series == subject.seconds.end()) continue;
    Curve curve{"", {}, plot.panels.size(), Curve::Look::line};
    for (std::size_t i = 0; i < series->values.size(); ++i)
      curve.points.push_back({seconds_of(series->moment(i)) + 0.5, series->values[i]});
    curve.points = thinned(curve.points, columns);
    plot.panels.push_back({info.title, std::string(symbol(info.unit)), {std::move(curve)}, 1, false});
  }
  if (plot.panels.empty())
    throw Error(Error::Code::not_found, "nothing changed, so there is nothing to draw", subject.name);
  return plot;
}

}  // namespace idlemeter
