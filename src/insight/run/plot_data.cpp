#include "idlemeter/insight/plot_data.hpp"

#include <algorithm>
#include <cmath>

#include "frames/tail.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/readings/reading.hpp"

namespace idlemeter {
namespace {

PlotPoint point_of(const FrameRecord& frame) {
  return {in_seconds(frame.at.time_since_epoch()), in_milliseconds(frame.interval)};
}

/// The frames of one column: those that its line has to go through.
class Column {
 public:
  void add(const PlotPoint& point) {
    if (count_++ == 0) first_ = least_ = most_ = point;
    if (point.y < least_.y) least_ = point;
    if (point.y > most_.y) most_ = point;
    last_ = point;
  }

  void flush(std::vector<PlotPoint>& into) {
    if (count_ == 0) return;
    std::vector<PlotPoint> all = {first_, least_, most_, last_};
    std::stable_sort(all.begin(), all.end(), [](const PlotPoint& a, const PlotPoint& b) { return a.x < b.x; });
    for (const PlotPoint& point : all) {
      if (into.empty() || !(into.back() == point)) into.push_back(point);
    }
    count_ = 0;
  }

 private:
  std::size_t count_ = 0;
  PlotPoint first_, least_, most_, last_;
};

/// Through the points of a range that rises in x, at most four for each column.
template <typename Range, typename ToPoint>
std::vector<PlotPoint> line_through(const Range& range, std::size_t columns, const ToPoint& to_point) {
  std::vector<PlotPoint> line;
  if (range.empty() || columns == 0) return line;
  const double start = to_point(range.front()).x;
  const double width = std::max(1e-9, (to_point(range.back()).x - start) / static_cast<double>(columns));
  Column column;
  double until = start + width;
  for (const auto& one : range) {
    const PlotPoint point = to_point(one);
    if (point.x > until) {
      column.flush(line);
      until += std::ceil((point.x - until) / width) * width;
    }
    column.add(point);
  }
  column.flush(line);
  return line;
}

}  // namespace

std::vector<PlotPoint> frame_time_line(std::span<const FrameRecord> frames, std::size_t columns) {
  return line_through(frames, columns, &point_of);
}

std::vector<PlotPoint> thinned(std::span<const PlotPoint> points, std::size_t columns) {
  return line_through(points, columns, [](const PlotPoint& point) { return point; });
}

std::vector<PlotPoint> frame_rate_line(std::span<const FrameRecord> frames) {
  std::vector<PlotPoint> line;
  double second = -1, time = 0;
  std::size_t count = 0;
  const auto flush = [&] {
    if (count > 0) line.push_back({second + 0.5, static_cast<double>(count) / time});
    count = 0;
    time = 0;
  };
  for (const FrameRecord& frame : frames) {
    if (!frames::is_frame(frame.interval)) continue;
    const double here = std::floor(in_seconds(frame.at.time_since_epoch()));
    if (here != second) flush();
    second = here;
    time += in_seconds(frame.interval);
    ++count;
  }
  flush();
  return line;
}

double distribution_reach(std::span<const FrameRecord> frames) {
  const auto percentiles = summarize(intervals_in(frames), {{}, {}, {0.995}}).percentiles;
  return percentiles.empty() ? 1 : std::max(1.0, 1.15 * percentiles.front().frame_time / 1e6);
}

std::vector<PlotPoint> distribution(std::span<const FrameRecord> frames, double most, std::size_t bins) {
  std::vector<PlotPoint> line(bins);
  const double width = most / static_cast<double>(bins);
  for (std::size_t i = 0; i < bins; ++i) line[i].x = (static_cast<double>(i) + 0.5) * width;
  double all = 0;
  for (const FrameRecord& frame : frames) {
    if (!frames::is_frame(frame.interval)) continue;
    const double bin = std::min(in_milliseconds(frame.interval) / width, static_cast<double>(bins - 1));
    line[static_cast<std::size_t>(bin)].y += 1;
    ++all;
  }
  for (PlotPoint& point : line) point.y *= all > 0 ? 100 / all : 0;
  return line;
}

std::vector<PlotPoint> percentile_curve(std::span<const FrameRecord> frames) {
  constexpr double kSteps = 40;  // for each tenth of what is left
  const auto intervals = intervals_in(frames);
  SummaryRequest request{{}, {}, {}};
  for (double step = 0;; ++step) {
    const double q = 1 - std::pow(10, -step / kSteps);
    if (q > 1 - 1 / static_cast<double>(intervals.size())) break;
    request.percentiles.push_back(q);
  }
  std::vector<PlotPoint> line;
  for (const Percentile& one : summarize(intervals, request).percentiles)
    line.push_back({100 * one.q, one.frame_time / 1e6});
  return line;
}

std::vector<PlotPoint> reading_line(const RunSeries& series) {
  std::vector<PlotPoint> line;
  for (std::size_t i = 0; i < series.at.size(); ++i) {
    if (const auto value = number(series.values[i]))
      line.push_back({in_seconds(series.at[i].time_since_epoch()), *value});
  }
  return line;
}

}  // namespace idlemeter
