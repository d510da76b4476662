#include "idlemeter/insight/run_insight.hpp"

#include <algorithm>
#include <cmath>

#include "frames/median.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/frames/frame_statistic.hpp"
#include "idlemeter/readings/units.hpp"
#include "insight/doubts.hpp"
#include "insight/find_series.hpp"

namespace idlemeter {

using namespace insight;
using frames::median_of;

namespace {

constexpr double kOdd = 5;  // spreads from usual

/// What the meter says of the recording itself, and statistics of its span: the summary has those of all frames.
bool is_about_recording(const std::string& id) {
  return id.starts_with("recording.") || frame_statistic(id).has_value();
}

/// The mean of the samples from `from` to `to`; empty if there are none.
std::optional<double> mean_within(const RunSeries& series, Moment from, Moment to) {
  double sum = 0;
  std::size_t count = 0;
  for (std::size_t i = 0; i < series.at.size(); ++i) {
    const auto value = series.at[i] >= from && series.at[i] <= to ? number(series.values[i]) : std::nullopt;
    if (!value) continue;
    sum += *value;
    ++count;
  }
  return count > 0 ? std::optional(sum / static_cast<double>(count)) : std::nullopt;
}

double share_from(const RunSeries& series, double limit) {
  std::size_t over = 0, all = 0;
  for (const Value& value : series.values) {
    const auto n = number(value);
    all += n ? 1 : 0;
    over += n && *n >= limit ? 1 : 0;
  }
  return all == 0 ? 0 : static_cast<double>(over) / static_cast<double>(all);
}

/// What a reading usually is, and how much it varies.
struct Usual {
  double value = 0, spread = 0;

  static std::optional<Usual> of(const RunSeries& series) {
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
    usual.spread = std::max({1.4826 * median_of(values), std::pow(10, -digits), 0.01 * std::abs(usual.value)});
    return usual;
  }
};

/// The farthest that the reading was from usual in the samples that cover that time; each covers what is before it.
std::optional<Oddity> oddity_of(const RunSeries& series, const Usual& usual, const Hitch& hitch) {
  constexpr Nanoseconds kSampleEvery = kSecond / 2;
  std::optional<Oddity> farthest;
  for (std::size_t i = 0; i < series.at.size(); ++i) {
    const bool covers = series.at[i] >= hitch.begin && series.at[i] <= hitch.begin + hitch.length + kSampleEvery;
    const auto value = covers ? number(series.values[i]) : std::nullopt;
    if (!value) continue;
    const double spreads = std::abs(*value - usual.value) / usual.spread;
    if (spreads >= kOdd && (!farthest || spreads > farthest->spreads))
      farthest = Oddity{series.info, *value, usual.value, spreads};
  }
  return farthest;
}

std::vector<HitchInsight> worst_hitches(const Stutters& stutters, const std::vector<RunSeries>& all, std::size_t most) {
  std::vector<HitchInsight> worst;
  for (const Hitch& hitch : stutters.hitches) worst.push_back({hitch, {}});
  std::stable_sort(worst.begin(), worst.end(),
                   [](const HitchInsight& a, const HitchInsight& b) { return a.hitch.lost > b.hitch.lost; });
  worst.resize(std::min(worst.size(), most));
  for (const RunSeries& series : all) {
    const auto usual =
        is_about_recording(series.info.id) || series.info.id.starts_with("frame.") ? std::nullopt : Usual::of(series);
    for (HitchInsight& one : worst) {
      auto oddity = usual ? oddity_of(series, *usual, one.hitch) : std::nullopt;
      if (oddity) one.oddities.push_back(std::move(*oddity));
    }
  }
  for (HitchInsight& one : worst)
    std::stable_sort(one.oddities.begin(), one.oddities.end(),
                     [](const Oddity& a, const Oddity& b) { return a.spreads > b.spreads; });
  return worst;
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

void add_readings(RunInsight& insight, const std::vector<RunSeries>& all, const InsightOptions& options) {
  const Moment end{insight.info.length};
  insight.edge = std::min(60 * kSecond, insight.info.length / 3);
  for (const RunSeries& series : all) {
    const auto summary = is_about_recording(series.info.id) ? std::nullopt : summarize(series);
    if (!summary) continue;
    ReadingInsight one{series.info, *summary, mean_within(series, {}, Moment{insight.edge}),
                       mean_within(series, end - insight.edge, kLatestMoment), std::nullopt};
    if (const auto limit = options.limits.find(series.info.id); limit != options.limits.end())
      one.over = share_from(series, limit->second);
    insight.readings.push_back(std::move(one));
  }
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

const ReadingInsight* RunInsight::reading(std::string_view id) const {
  const auto found =
      std::find_if(readings.begin(), readings.end(), [&](const ReadingInsight& one) { return one.info.id == id; });
  return found == readings.end() ? nullptr : &*found;
}

RunInsight insight_of(const Store& store, std::int64_t run, const InsightOptions& options) {
  RunInsight insight;
  insight.info = store.run(run);
  std::vector<FrameRecord> frames = store.frames(run);
  insight.loading_frames = static_cast<std::uint64_t>(
      std::count_if(frames.begin(), frames.end(), [](const FrameRecord& frame) { return is_loading(frame.interval); }));
  insight.loading_left_out = options.leave_out_loading;
  const std::uint64_t unreadable = insight.info.frames - std::min<std::uint64_t>(insight.info.frames, frames.size());
  if (options.leave_out_loading) {
    std::erase_if(frames, [&](const FrameRecord& frame) { return is_loading(frame.interval); });
  }
  const std::vector<RunSeries> all = store.series(run);
  insight.summary = summarize(intervals_in(frames), options.figures);
  insight.summary.left_out += unreadable;
  const auto longest = std::max_element(frames.begin(), frames.end(), [](const FrameRecord& a, const FrameRecord& b) {
    return (a.interval <= kLongestFrame ? a.interval : Nanoseconds{}) <
           (b.interval <= kLongestFrame ? b.interval : Nanoseconds{});
  });
  if (longest != frames.end()) insight.longest_at = longest->at;
  insight.stutters = find_stutters(frames, options.stutter);
  insight.limits = find_limits(frames, load_of(find_series(all, "gpu.load")));
  insight.limits_by_gpu_times = std::any_of(insight.limits.seconds.begin(), insight.limits.seconds.end(),
                                            [](const LimitedSecond& one) { return one.gpu_share.has_value(); });
  add_readings(insight, all, options);
  add_efficiency(insight);
  insight.hitches = worst_hitches(insight.stutters, all, options.hitches);
  insight.doubts = doubts_about(insight, all);
  return insight;
}

}  // namespace idlemeter
