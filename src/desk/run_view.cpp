#include "desk/run_view.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <limits>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/insight/change_words.hpp"
#include "idlemeter/insight/changes.hpp"
#include "idlemeter/insight/interval.hpp"
#include "idlemeter/insight/plot_data.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/insight/run_text.hpp"
#include "idlemeter/insight/words.hpp"
#include "idlemeter/json/runs.hpp"
#include "idlemeter/readings/units.hpp"
#include "json/json.hpp"

namespace idlemeter::desk {
namespace {

std::int64_t run_in(const http::Request& request) {
  return number_in(request, "run", 1, std::numeric_limits<int>::max());
}

InsightOptions options_in(const http::Request& request, std::size_t hitches) {
  return {.leave_out_loading = request.parameter("leave-out").value_or("") == "loading", .hitches = hitches};
}

Json words_of(const RunInsight& run) {
  return {{"stutters", stutter_words(run)}, {"limit", limit_words(run)}, {"heat", heat_words(run)},
          {"clocks", clock_words(run)},     {"power", power_words(run)}, {"marks", mark_words(run)}};
}

Json line_json(const std::vector<PlotPoint>& points) {
  Json x = Json::array(), y = Json::array();
  for (const PlotPoint& point : points) {
    x.push_back(point.x);
    y.push_back(point.y);
  }
  return {{"x", x}, {"y", y}};
}

Json sure_json(const SureFigure& one) {
  const auto& interval = one.result.interval;
  Json json = {{"figure", one.figure.kind == Figure::Kind::average ? "average"
                          : one.figure.kind == Figure::Kind::low   ? to_string(one.figure.share) + " low"
                                                                   : "median"}};
  json["fps"] = interval ? Json{1e9 / interval->high, 1e9 / interval->low} : Json();
  json["reason"] = one.result.reason;
  return json;
}

bool is_plotted(const ReadingInfo& info) { return !info.text && info.kind != DeviceKind::frames; }

}  // namespace

Json RunView::figures(const http::Request& request) {
  const Store store = runs_.open();
  const RunInfo info = store.run(run_in(request));
  const std::vector<RunInsight> all = insights_of_list(store, {info}, options_in(request, 0));
  const RunInsight& run = all.front();
  Json readings = Json::array();
  for (const ReadingInfo& one : store.readings(info.id)) {
    if (is_plotted(one))
      readings.push_back(
          {{"id", one.id}, {"title", one.title}, {"unit", symbol(one.unit)}, {"kind", name_of(one.kind)}});
  }
  Json insight = Json::parse(insight_json(all, {{}}));
  insight["limits"].erase("seconds");  // long lists that the page doesn't show
  insight["stutters"].erase("frames");
  insight["stutters"].erase("hitches");
  return {{"insight", insight}, {"words", words_of(run)}, {"doubts", doubts_json(run)}, {"readings", readings}};
}

Json RunView::details(const http::Request& request) {
  constexpr std::size_t kHitches = 12;
  const Store store = runs_.open();
  const std::int64_t id = run_in(request);
  const RunInsight run = insight_of(store, id, options_in(request, kHitches));
  Json hitches = Json::array();
  for (const HitchInsight& one : run.hitches)
    hitches.push_back({{"begin_s", json::seconds_of(one.hitch.begin)},
                       {"at", moment_words(one.hitch.begin)},
                       {"worst_ms", in_milliseconds(one.hitch.worst)},
                       {"words", oddity_words(one)}});
  std::vector<Nanoseconds> intervals = intervals_in(*frames_of(store, run.info));
  if (run.loading_left_out) std::erase_if(intervals, &is_loading);
  Json sure = Json::array();
  for (const SureFigure& one : intervals_of(intervals, screen_request())) sure.push_back(sure_json(one));
  Json changes = Json::array();
  const Changes found = find_changes(store, id);
  for (const ChangeEvent& event : foremost_events(found))
    changes.push_back({{"at_s", json::seconds_of(event.at)}, {"words", event_words(event)}});
  return {{"hitches", hitches}, {"intervals", sure}, {"changes", changes}};
}

RunView::Frames RunView::frames_of(const Store& store, const RunInfo& run) {
  constexpr std::uint64_t kMostKept = 4'000'000;  // four hours at 280 frames a second, 100 MB
  if (run.frames > kMostKept) return std::make_shared<const std::vector<FrameRecord>>(store.frames(run.id));
  const std::string which = fmt::format("{} {}", run.uuid, run.frames);
  const std::lock_guard lock(mutex_);
  if (kept_ != which || !frames_) {
    frames_ = std::make_shared<const std::vector<FrameRecord>>(store.frames(run.id));
    kept_ = which;
  }
  return frames_;
}

Json RunView::lines(const http::Request& request) {
  constexpr int kMostColumns = 4'000, kMost = std::numeric_limits<int>::max();
  const Store store = runs_.open();
  const RunInfo info = store.run(run_in(request));
  const auto columns = static_cast<std::size_t>(number_in(request, "columns", 50, kMostColumns));
  const double length = in_seconds(info.length);
  const auto seconds_in = [&](const char* name, double otherwise) {
    return request.parameter(name) ? number_in(request, name, 0, kMost) / 1e3 : otherwise;
  };
  const double begin = seconds_in("from_ms", 0), end = seconds_in("to_ms", length);
  const Frames frames = frames_of(store, info);
  const auto at = [](double seconds) { return Moment(Nanoseconds(static_cast<std::int64_t>(seconds * 1e9))); };
  const auto before = [](const FrameRecord& frame, Moment moment) { return frame.at < moment; };
  const auto first = std::lower_bound(frames->begin(), frames->end(), at(begin), before);
  const auto last = std::lower_bound(first, frames->end(), at(end), before);
  Json answer = {{"length_s", length},
                 {"frames", line_json(frame_time_line({first, last}, columns))},
                 {"readings", Json::array()}};
  const std::vector<std::string> wanted = split(request.parameter("readings").value_or(""), ',');
  const auto wants = [&](const ReadingInfo& one) {
    return is_plotted(one) && std::find(wanted.begin(), wanted.end(), one.id) != wanted.end();
  };
  for (const RunSeries& series : store.series(info.id, wants)) {
    std::vector<PlotPoint> points = reading_line(series);
    std::erase_if(points, [&](const PlotPoint& point) { return point.x < begin || point.x > end; });
    Json line = line_json(thinned(points, columns));
    line["id"] = series.info.id;
    line["title"] = series.info.title;
    line["unit"] = symbol(series.info.unit);
    line["kind"] = name_of(series.info.kind);
    answer["readings"].push_back(std::move(line));
  }
  return answer;
}

}  // namespace idlemeter::desk
