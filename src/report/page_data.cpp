#include "report/page_data.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <nlohmann/json.hpp>
#include <set>

#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/insight/plot_data.hpp"
#include "idlemeter/insight/words.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/runs/run.hpp"

namespace idlemeter::report {
namespace {

using Json = nlohmann::ordered_json;

constexpr std::size_t kBins = 120, kLongestName = 80;
constexpr std::size_t kReadingColumns = 300;  // of a reading over time: four numbers each at most

std::int64_t microseconds(Nanoseconds length) { return std::llround(static_cast<double>(length.count()) / 1e3); }

/// Times are sums of the frames' lengths unless there are gaps.
Json frames_of(const std::vector<FrameRecord>& frames) {
  Json lengths = Json::array(), at = Json::array();
  Moment end = frames.empty() ? Moment{} : frames.front().at - frames.front().interval;
  const std::int64_t begin = microseconds(end.time_since_epoch());
  bool has_gaps = false;
  for (const FrameRecord& frame : frames) {
    lengths.push_back(microseconds(frame.interval));
    at.push_back(microseconds(frame.at.time_since_epoch()));
    has_gaps = has_gaps || frame.at - frame.interval != end;
    end = frame.at;
  }
  if (has_gaps) return {{"at_us", std::move(at)}, {"us", std::move(lengths)}};
  return {{"begin_us", begin}, {"us", std::move(lengths)}};
}

Json thinned_frames_of(const std::vector<FrameRecord>& frames, std::size_t columns) {
  Json lengths = Json::array(), at = Json::array();
  for (const PlotPoint& point : frame_time_line(frames, columns)) {
    at.push_back(std::llround(point.x * 1e6));
    lengths.push_back(std::llround(point.y * 1e3));
  }
  return {{"at_us", std::move(at)}, {"us", std::move(lengths)}};
}

double rounded(double value, int digits) {
  const double unit = std::pow(10, digits);
  return std::round(value * unit) / unit;
}

/// A point as [x, y], with so many digits.
Json points(const std::vector<PlotPoint>& line, int x_digits, int y_digits) {
  Json json = {{"x", Json::array()}, {"y", Json::array()}};
  for (const PlotPoint& point : line) {
    json["x"].push_back(rounded(point.x, x_digits));
    json["y"].push_back(rounded(point.y, y_digits));
  }
  return json;
}

Json hitches_of(const RunInsight& run) {
  Json json = Json::array();
  for (const Hitch& hitch : run.stutters.hitches)
    json.push_back({rounded(in_seconds(hitch.begin.time_since_epoch()), 3), rounded(in_seconds(hitch.length), 3)});
  return json;
}

bool has_numbers(const RunSeries& series) {
  return !series.info.text && std::any_of(series.values.begin(), series.values.end(),
                                          [](const Value& value) { return number(value).has_value(); });
}

/// Numbers over time, of one reading.
Json samples_of(const RunSeries& series) {
  return points(thinned(reading_line(series), kReadingColumns), 2, digits_of(series.info) + 1);
}

Json marks_of(const std::vector<RunSeries>& all) {
  Json json = Json::array();
  for (const RunMark& mark : marks_in(all))
    json.push_back({rounded(in_seconds(mark.at.time_since_epoch()), 3), cut_to(printable(mark.about), kLongestName)});
  return json;
}

/// Readings that move in any run, in the order in which they first appear.
class Readings {
 public:
  void take(const std::vector<RunSeries>& all, Json& run) {
    run["readings"] = Json::object();
    for (const RunSeries& series : all) {
      // What the frames themselves say is in the plots of frames.
      if (!has_numbers(series) || series.info.kind == DeviceKind::frames) continue;
      Json samples = samples_of(series);
      for (const Json& y : samples["y"]) {
        auto& [least, most] = ranges_.try_emplace(series.info.id, y.get<double>(), y.get<double>()).first->second;
        least = std::min(least, y.get<double>());
        most = std::max(most, y.get<double>());
      }
      if (known_.insert(series.info.id).second) infos_.push_back(series.info);
      run["readings"][series.info.id] = std::move(samples);
    }
  }

  [[nodiscard]] Json list() const {
    Json json = Json::array();
    for (const ReadingInfo& info : infos_) {
      if (!moves(info.id)) continue;
      json.push_back({{"id", info.id},
                      {"title", cut_to(printable(with_unit(info.title, info)), kLongestName)},
                      {"unit", symbol(info.unit)},
                      {"digits", digits_of(info)}});
    }
    return json;
  }

  void drop_still_ones(Json& runs) const {
    for (Json& run : runs) {
      for (auto& [id, range] : ranges_) {
        if (!moves(id)) run["readings"].erase(id);
      }
    }
  }

 private:
  [[nodiscard]] bool moves(const std::string& id) const {
    const auto& [least, most] = ranges_.at(id);
    return least < most;
  }

  std::vector<ReadingInfo> infos_;
  std::set<std::string> known_;
  std::map<std::string, std::pair<double, double>> ranges_;
};

/// JSON between <script> and </script>: no character of it may look like a tag to the parser of HTML.
std::string safe_in_script(const std::string& json) {
  std::string safe;
  safe.reserve(json.size());
  for (const char c : json) {
    if (c == '<' || c == '>' || c == '&') {
      safe += fmt::format("\\u{:04x}", static_cast<unsigned>(c));
    } else {
      safe += c;
    }
  }
  return safe;
}

/// The frames of all runs, and how they are drawn together.
struct Drawn {
  std::vector<std::vector<FrameRecord>> frames;
  bool thinned = false;
  std::size_t columns = 0;  ///< that thinned frames are reduced to
  double spread_most = 1;   ///< where the distributions end, ms
};

Json run_of(const RunInsight& run, std::size_t group, const Drawn& drawn, std::size_t i) {
  const auto& frames = drawn.frames[i];
  Json spread = Json::array();
  for (const PlotPoint& bin : distribution(frames, drawn.spread_most, kBins)) spread.push_back(rounded(bin.y, 3));
  return {{"name", name_of(run.info)},
          {"group", group},
          {"frames", drawn.thinned ? thinned_frames_of(frames, drawn.columns) : frames_of(frames)},
          {"rate", points(frame_rate_line(frames), 3, 1)},
          {"spread", std::move(spread)},
          {"percentiles", points(percentile_curve(frames), 5, 3)},
          {"hitches", hitches_of(run)}};
}

}  // namespace

std::string name_of(const RunInfo& run) { return cut_to(printable(run_words(run)), kLongestName); }

PageData page_data(const Store& store, const std::vector<RunGroup>& groups, std::size_t most_frames) {
  Drawn drawn;
  std::size_t all = 0, count = 0;
  for (const RunGroup& group : groups) {
    for (const RunInsight& run : group.runs) {
      drawn.frames.push_back(store.frames(run.info.id));
      all += drawn.frames.back().size();
      ++count;
    }
  }
  drawn.thinned = all > most_frames;
  drawn.columns = std::max<std::size_t>(200, most_frames / 4 / std::max<std::size_t>(1, count));
  for (const auto& frames : drawn.frames) drawn.spread_most = std::max(drawn.spread_most, distribution_reach(frames));
  Json runs = Json::array(), names = Json::array();
  Readings readings;
  for (std::size_t g = 0, i = 0; g < groups.size(); ++g) {
    names.push_back(cut_to(printable(groups[g].name), kLongestName));
    for (const RunInsight& run : groups[g].runs) {
      const auto series = store.series(run.info.id);
      runs.push_back(run_of(run, g, drawn, i++));
      runs.back()["marks"] = marks_of(series);
      readings.take(series, runs.back());
    }
  }
  readings.drop_still_ones(runs);
  const Json json = {
      {"groups", names}, {"spread_most", drawn.spread_most}, {"readings", readings.list()}, {"runs", std::move(runs)}};
  return {.json = safe_in_script(json.dump(-1, ' ', false, Json::error_handler_t::replace)), .thinned = drawn.thinned};
}

}  // namespace idlemeter::report
