#include "idlemeter/insight/run_insight.hpp"

#include <algorithm>
#include <cmath>
#include <optional>
#include <set>
#include <span>
#include <string_view>
#include <utility>

#include "frames/median.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/frames/frame_statistic.hpp"
#include "idlemeter/readings/units.hpp"
#include "insight/run/doubts.hpp"
#include "insight/run/find_series.hpp"
#include "insight/run/work_out.hpp"
#include "insight/statistics/robust.hpp"

namespace idlemeter {

using namespace insight;
using frames::median_of;

namespace {

constexpr double kOdd = 5;  // spreads from usual
constexpr double kSeldom = 0.01;
constexpr const char* kMarkReading = "recording.mark";

/// What the meter says of the recording itself, and statistics of its span: the summary has those of all frames.
bool is_about_recording(const std::string& id) {
  return id.starts_with("recording.") || frame_statistic(id).has_value();
}

/// The samples that cover a hitch, whatever their pace: from its beginning to the first one after its end. Each covers
/// what is before it.
class Covers {
 public:
  explicit Covers(const RunSeries& series) : at_(series.at) {
    std::vector<std::int64_t> steps;
    for (std::size_t i = 1; i < at_.size(); ++i) steps.push_back((at_[i] - at_[i - 1]).count());
    if (!steps.empty()) pace_ = Nanoseconds(median_of(steps));
  }

  [[nodiscard]] std::pair<std::size_t, std::size_t> of(const Hitch& hitch) const {
    const Moment end = hitch.begin + hitch.length;
    const auto first = std::lower_bound(at_.begin(), at_.end(), hitch.begin);
    auto last = std::lower_bound(at_.begin(), at_.end(), end);
    if (last != at_.end() && *last <= end + 2 * pace_) ++last;
    return {static_cast<std::size_t>(first - at_.begin()),
            static_cast<std::size_t>(std::max(first, last) - at_.begin())};
  }

 private:
  const std::vector<Moment>& at_;
  Nanoseconds pace_{};
};

/// What a reading usually is, how much it varies, and how far from usual it is apart from hitches.
struct Usual {
  double value = 0, spread = 0;
  std::vector<double> elsewhere = {};  ///< distances, rising

  static std::optional<Usual> of(const RunSeries& series, const Covers& covers, std::span<const Hitch> hitches) {
    std::vector<double> values;
    for (const Value& value : series.values) {
      if (const auto n = number(value)) values.push_back(*n);
    }
    constexpr std::size_t kLeastSamples = 10;
    if (values.size() < kLeastSamples) return std::nullopt;
    Usual usual{.value = median_of(values)};
    for (double& value : values) value = std::abs(value - usual.value);
    const int digits = digits_of(series.info);
    // A reading that stands still has no noise: then a change counts from a shown digit, or from a hundredth on.
    usual.spread = std::max({kToDeviation * median_of(values), std::pow(10, -digits), 0.01 * std::abs(usual.value)});
    usual.look_elsewhere(series, covers, hitches);
    return usual;
  }

  /// Share of the samples apart from hitches that are at least that far from usual.
  [[nodiscard]] double often(double distance) const {
    if (elsewhere.empty()) return 0;
    const auto farther = elsewhere.end() - std::lower_bound(elsewhere.begin(), elsewhere.end(), distance);
    return static_cast<double>(farther) / static_cast<double>(elsewhere.size());
  }

 private:
  void look_elsewhere(const RunSeries& series, const Covers& covers, std::span<const Hitch> hitches) {
    std::vector<bool> is_covered(series.at.size(), false);
    for (const Hitch& hitch : hitches) {
      const auto [first, last] = covers.of(hitch);
      std::fill(is_covered.begin() + static_cast<std::ptrdiff_t>(first),
                is_covered.begin() + static_cast<std::ptrdiff_t>(last), true);
    }
    for (std::size_t i = 0; i < series.at.size(); ++i) {
      const auto n = is_covered[i] ? std::nullopt : number(series.values[i]);
      if (n) elsewhere.push_back(std::abs(*n - value));
    }
    std::sort(elsewhere.begin(), elsewhere.end());
  }
};

/// The farthest that the reading was from usual in the samples that cover the hitch, if it seldom is apart from
/// hitches.
std::optional<Oddity> oddity_of(const RunSeries& series, const Covers& covers, const Usual& usual, const Hitch& hitch) {
  const auto [first, last] = covers.of(hitch);
  std::optional<Oddity> farthest;
  for (std::size_t i = first; i < last; ++i) {
    const auto value = number(series.values[i]);
    if (!value) continue;
    const double distance = std::abs(*value - usual.value), spreads = distance / usual.spread;
    if (spreads < kOdd || (farthest && spreads <= farthest->spreads)) continue;
    farthest = Oddity{series.info, *value, usual.value, spreads, usual.often(distance / 2)};
  }
  return farthest && farthest->often <= kSeldom ? farthest : std::nullopt;
}

std::vector<HitchInsight> worst_hitches(const Stutters& stutters, std::size_t most) {
  std::vector<HitchInsight> worst;
  for (const Hitch& hitch : stutters.hitches) worst.push_back({hitch, {}});
  std::stable_sort(worst.begin(), worst.end(),
                   [](const HitchInsight& a, const HitchInsight& b) { return a.hitch.worst > b.hitch.worst; });
  worst.resize(std::min(worst.size(), most));
  return worst;
}

/// To the hitches at which the reading was far from usual.
void add_oddity(RunInsight& insight, const RunSeries& series) {
  if (is_about_recording(series.info.id) || series.info.id.starts_with("frame.")) return;
  const Covers covers(series);
  const auto usual = Usual::of(series, covers, insight.stutters.hitches);
  for (HitchInsight& one : insight.hitches) {
    auto oddity = usual ? oddity_of(series, covers, *usual, one.hitch) : std::nullopt;
    if (oddity) one.oddities.push_back(std::move(*oddity));
  }
}

/// The GPU's load at a moment: the sample that covers it.
LoadAt load_of(const RunSeries* load) {
  if (load == nullptr) return {};
  return [load](Moment at) -> std::optional<double> {
    const auto next = std::lower_bound(load->at.begin(), load->at.end(), at);
    if (next == load->at.end()) return std::nullopt;
    return number(load->values[static_cast<std::size_t>(next - load->at.begin())]);
  };
}

/// A reading's figures, a sample at a time.
class Tally {
 public:
  Tally(const RunInsight& insight, const ReadingInfo& info, const InsightOptions& options)
      : info_(info), begin_(insight.edge), end_(insight.info.length - insight.edge) {
    const auto limit = options.limits.find(info.id);
    if (limit != options.limits.end()) limit_ = limit->second;
  }

  void add(Moment at, double value) {
    all_.add(value);
    if (at <= begin_) first_.add(value);
    if (at >= end_) last_.add(value);
    if (limit_ && value >= *limit_) ++over_;
  }

  void finish(std::vector<ReadingInsight>& readings) const {
    if (all_.samples == 0) return;
    const auto mean = [](const SeriesSummary& part) {
      return part.samples == 0 ? std::nullopt : std::optional(part.mean);
    };
    const auto over = static_cast<double>(over_) / static_cast<double>(all_.samples);
    readings.push_back({info_, all_, mean(first_), mean(last_), limit_ ? std::optional(over) : std::nullopt});
  }

 private:
  ReadingInfo info_;
  Moment begin_, end_;  // of what lies between the run's edges
  std::optional<double> limit_;
  SeriesSummary all_, first_, last_;
  std::size_t over_ = 0;
};

using ColumnTally = std::pair<std::size_t, Tally>;  // with its column

std::vector<ColumnTally> tallies_of(const RunInsight& insight, const std::vector<ReadingInfo>& readings,
                                    const InsightOptions& options) {
  std::vector<ColumnTally> tallies;
  for (std::size_t column = 0; column < readings.size(); ++column) {
    if (!readings[column].text && !is_about_recording(readings[column].id))
      tallies.emplace_back(column, Tally(insight, readings[column], options));
  }
  return tallies;
}

void add_readings(RunInsight& insight, const Store& store, const std::vector<ReadingInfo>& readings,
                  const InsightOptions& options) {
  std::vector<ColumnTally> tallies = tallies_of(insight, readings, options);
  store.read_samples(insight.info.id, [&](const RunSamples& samples) {
    for (auto& [column, tally] : tallies) {
      if (column >= samples.columns.size()) continue;
      for (std::size_t i = 0; i < samples.at.size(); ++i) {
        if (const double value = samples.columns[column][i]; std::isfinite(value)) tally.add(samples.at[i], value);
      }
    }
  });
  for (const auto& [column, tally] : tallies) tally.finish(insight.readings);
}

void put_oddest_first(std::vector<Oddity>& oddities) {
  std::stable_sort(oddities.begin(), oddities.end(), [](const Oddity& a, const Oddity& b) {
    return a.often != b.often ? a.often < b.often : a.spreads > b.spreads;
  });
}

/// Some readings at once: all those of many hours would take gigabytes.
void add_oddities(RunInsight& insight, const Store& store, const std::vector<ReadingInfo>& readings) {
  if (insight.hitches.empty()) return;
  constexpr std::int64_t kMostValues = 4'000'000;
  const std::int64_t samples = 1 + insight.info.length / (kSecond / 2);  // as they usually come
  const auto at_once = static_cast<std::size_t>(std::max<std::int64_t>(1, kMostValues / samples));
  for (std::size_t first = 0; first < readings.size(); first += at_once) {
    std::set<std::string_view> ids;
    for (std::size_t i = first; i < std::min(first + at_once, readings.size()); ++i) ids.insert(readings[i].id);
    for (const RunSeries& one :
         store.series(insight.info.id, [&](const ReadingInfo& info) { return ids.contains(info.id); }))
      add_oddity(insight, one);
  }
  for (HitchInsight& one : insight.hitches) put_oddest_first(one.oddities);
}

/// When the longest frame began; one of over kLongestFrame is none.
Moment longest_at(const std::vector<FrameRecord>& frames) {
  const auto length = [](const FrameRecord& frame) {
    return frame.interval <= kLongestFrame ? frame.interval : Nanoseconds{};
  };
  const auto longest = std::max_element(
      frames.begin(), frames.end(), [&](const FrameRecord& a, const FrameRecord& b) { return length(a) < length(b); });
  return longest == frames.end() ? Moment{} : longest->at - longest->interval;
}

/// What follows from the frames alone; takes those out that are in no figure.
void add_figures(RunInsight& insight, std::vector<FrameRecord>& frames, const InsightOptions& options) {
  const auto loads = [](const FrameRecord& frame) { return is_loading(frame.interval); };
  insight.loading_frames = static_cast<std::uint64_t>(std::count_if(frames.begin(), frames.end(), loads));
  insight.loading_left_out = options.leave_out_loading;
  const std::uint64_t unreadable = insight.info.frames - std::min<std::uint64_t>(insight.info.frames, frames.size());
  if (options.leave_out_loading) std::erase_if(frames, loads);
  insight.summary = summarize(intervals_in(frames), options.figures);
  insight.summary.left_out += unreadable;
  insight.longest_at = longest_at(frames);
  insight.stutters = find_stutters(frames, options.stutter);
  insight.hitches = worst_hitches(insight.stutters, options.hitches);
}

/// Average rate over mean power.
void add_efficiency(RunInsight& insight) {
  const auto per_joule = [&](std::optional<double> watts) {
    return watts && *watts > 0 && insight.summary.average_rate ? std::optional(*insight.summary.average_rate / *watts)
                                                               : std::nullopt;
  };
  const auto mean = [&](std::string_view id) {
    const ReadingInsight* reading = insight.reading(id);
    return reading == nullptr ? std::nullopt : std::optional(reading->all.mean);
  };
  const auto graphics = mean("gpu.power"), processor = mean("cpu.power");
  insight.frames_per_joule_graphics = per_joule(graphics);
  insight.frames_per_joule_processor = per_joule(processor);
  if (graphics && processor) insight.frames_per_joule_both = per_joule(*graphics + *processor);
}

}  // namespace

std::vector<RunMark> marks_in(const std::vector<RunSeries>& all) {
  std::vector<RunMark> marks;
  const RunSeries* series = find_series(all, kMarkReading);
  for (std::size_t i = 0; series != nullptr && i < series->values.size(); ++i) {
    if (const auto* text = std::get_if<std::string>(&series->values[i])) marks.push_back({series->at[i], *text});
  }
  return marks;
}

const ReadingInsight* RunInsight::reading(std::string_view id) const {
  const auto found =
      std::find_if(readings.begin(), readings.end(), [&](const ReadingInsight& one) { return one.info.id == id; });
  return found == readings.end() ? nullptr : &*found;
}

namespace insight {

void choose_readings(std::vector<ReadingInsight>& readings, const std::optional<std::vector<std::string>>& wanted) {
  if (!wanted) return;
  std::erase_if(readings, [&](const ReadingInsight& one) {
    return std::find(wanted->begin(), wanted->end(), one.info.id) == wanted->end();
  });
}

RunInsight work_out(const Store& store, RunInfo run, const InsightOptions& options) {
  RunInsight insight;
  insight.info = std::move(run);
  const std::int64_t id = insight.info.id;
  insight.edge = std::min(60 * kSecond, insight.info.length / 3);
  std::vector<FrameRecord> frames = store.frames(id);
  add_figures(insight, frames, options);
  const std::vector<ReadingInfo> readings = store.readings(id);
  add_readings(insight, store, readings, options);
  add_oddities(insight, store, readings);
  const std::vector<RunSeries> some = store.series(id, [](const ReadingInfo& info) {
    return info.id == "gpu.load" || info.id == kMarkReading || are_doubts_in(info);
  });
  insight.marks = marks_in(some);
  insight.limits = find_limits(frames, load_of(find_series(some, "gpu.load")));
  insight.limits_by_gpu_times = std::any_of(insight.limits.seconds.begin(), insight.limits.seconds.end(),
                                            [](const LimitedSecond& one) { return one.gpu_share.has_value(); });
  add_efficiency(insight);
  insight.doubts = doubts_about(insight, some);
  choose_readings(insight.readings, options.readings);
  return insight;
}

}  // namespace insight

RunInsight insight_of(const Store& store, std::int64_t run, const InsightOptions& options) {
  return work_out(store, store.run(run), options);
}

}  // namespace idlemeter
