#include "idlemeter/insight/second_series.hpp"

#include <algorithm>

#include "frames/median.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter {
namespace {

constexpr std::size_t kMostSeconds = 400 * 24 * 3'600;  // a moment beyond that can't be

std::size_t second_of(Moment at) {
  return static_cast<std::size_t>(std::max<std::int64_t>(0, at.time_since_epoch() / kSecond));
}

/// What falls into each second, from the first that has something.
template <typename T>
class Seconds {
 public:
  void add(Moment at, const T& value) {
    const std::size_t second = second_of(at);
    if (second > kMostSeconds) return;
    if (all_.empty()) first_ = second;
    if (second < first_) return;
    if (second - first_ >= all_.size()) all_.resize(second - first_ + 1);
    all_[second - first_].push_back(value);
  }

  /// The last one may be a part of a second.
  void drop_last() {
    if (all_.size() > 1) all_.pop_back();
  }

  /// One number each; a second without any has that before it.
  template <typename Figure>
  [[nodiscard]] SecondSeries series(const ReadingInfo& info, const Figure& figure) const {
    SecondSeries one{info, Moment{kSecond * static_cast<std::int64_t>(first_)}, {}};
    one.values.reserve(all_.size());
    for (const auto& second : all_) one.values.push_back(second.empty() ? one.values.back() : figure(second));
    return one;
  }

  [[nodiscard]] bool empty() const { return all_.empty(); }

 private:
  std::size_t first_ = 0;
  std::vector<std::vector<T>> all_;
};

ReadingInfo figure_of_frames(const char* id, const char* title, const char* brief, Unit unit) {
  return {.id = id, .title = title, .brief = brief, .device = "Game", .kind = DeviceKind::frames, .unit = unit};
}

/// Frames over time.
double rate_of(const std::vector<Nanoseconds>& second) {
  Nanoseconds sum{};
  for (const Nanoseconds time : second) sum += time;
  return static_cast<double>(second.size()) / in_seconds(sum);
}

/// In milliseconds, as a summary defines it (type 7). Of a second's few frames it takes less than a summary.
double percentile_of(std::vector<Nanoseconds> second, double share) {
  const double place = static_cast<double>(second.size() - 1) * share;
  const auto below = static_cast<std::size_t>(place);
  const auto at = second.begin() + static_cast<std::ptrdiff_t>(below);
  std::nth_element(second.begin(), at, second.end());
  const Nanoseconds next = below + 1 < second.size() ? *std::min_element(at + 1, second.end()) : *at;
  const double part = place - static_cast<double>(below);
  return (static_cast<double>(at->count()) + part * static_cast<double>((next - *at).count())) / 1e6;
}

}  // namespace

std::vector<SecondSeries> seconds_of(std::span<const FrameRecord> frames, const std::vector<RunSeries>& series) {
  std::vector<SecondSeries> all;
  Seconds<Nanoseconds> times;
  for (const FrameRecord& frame : frames) {
    if (frame.interval > Nanoseconds{} && frame.interval <= kLongestTime) times.add(frame.at, frame.interval);
  }
  times.drop_last();
  if (!times.empty()) {
    all.push_back(times.series(figure_of_frames("frame.rate", "Frame rate", "FPS", Unit::frames_per_second), &rate_of));
    all.push_back(times.series(figure_of_frames("frame.time", "Median frame time", "Frame time", Unit::millisecond),
                               [](const auto& second) { return percentile_of(second, 0.5); }));
    all.push_back(times.series(
        figure_of_frames("frame.percentile@99%", "99th percentile of frame time", "99 %", Unit::millisecond),
        [](const auto& second) { return percentile_of(second, 0.99); }));
  }
  for (const RunSeries& one : series) {
    if (one.info.text || one.info.kind == DeviceKind::frames || one.info.id.starts_with("recording.")) continue;
    Seconds<double> samples;
    for (std::size_t i = 0; i < one.at.size(); ++i) {
      if (const auto value = number(one.values[i])) samples.add(one.at[i], *value);
    }
    if (!samples.empty())
      all.push_back(samples.series(one.info, [](std::vector<double> second) { return frames::median_of(second); }));
  }
  return all;
}

}  // namespace idlemeter
