#include "idlemeter/insight/second_series.hpp"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <utility>

#include "frames/median.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {
namespace {

constexpr std::size_t kLongestHold = 10;  // seconds
constexpr std::size_t kValuesOfGap = 20;  // with fewer numbers for each pause, pauses are how the series is
constexpr std::size_t kMostSeconds = 400 * 24 * 3'600;  // a moment beyond that can't be

std::size_t second_of(Moment at) {
  return static_cast<std::size_t>(std::max<std::int64_t>(0, at.time_since_epoch() / kSecond));
}

/// Numbers of one second after the other; one without has that before it.
class Series {
 public:
  /// `seconds`: about how many there will be.
  explicit Series(const ReadingInfo& info, std::size_t seconds = 0) : series_{info} { series_.values.reserve(seconds); }

  void put(std::size_t second, double value) {
    auto& values = series_.values;
    if (values.empty()) {
      next_ = second;
      series_.begin = Moment{kSecond * static_cast<std::int64_t>(second)};
    }
    const std::size_t missing = second - next_;
    if (missing > kLongestHold) {
      series_.gaps.push_back({values.size(), missing});
    } else if (missing > 0) {
      values.resize(values.size() + missing, values.back());
    }
    values.push_back(value);
    next_ = second + 1;
  }

  void finish(std::vector<SecondSeries>& all) {
    if (series_.gaps.size() * kValuesOfGap > series_.values.size()) hold_over_gaps();
    if (!series_.values.empty()) all.push_back(std::move(series_));
  }

 private:
  /// Of a reading that has a number only now and then, pauses are no gaps.
  void hold_over_gaps() {
    std::vector<double> held;
    auto gap = series_.gaps.begin();
    for (std::size_t i = 0; i < series_.values.size(); ++i) {
      if (gap != series_.gaps.end() && gap->before == i) held.resize(held.size() + gap++->seconds, held.back());
      held.push_back(series_.values[i]);
    }
    series_.values = std::move(held);
    series_.gaps.clear();
  }

  SecondSeries series_;
  std::size_t next_ = 0;
};

/// Gathers what falls into one second, and then hands it over. What comes too late is left out.
template <typename T>
class BySecond {
 public:
  template <typename Take>
  void add(std::size_t second, T value, const Take& take) {
    if (second == second_ || goes_on_to(second, take)) values_.push_back(value);
  }

  /// Whether the second is one to come; hands over the one before.
  template <typename Take>
  bool goes_on_to(std::size_t second, const Take& take) {
    if (second > kMostSeconds || second <= second_) return false;
    hand_over(take);
    second_ = second;
    return true;
  }

  template <typename Take>
  void hand_over(const Take& take) {
    if (!values_.empty()) take(second_, values_);
    values_.clear();
  }

 private:
  std::size_t second_ = 0;
  std::vector<T> values_;
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
double percentile_of(std::vector<Nanoseconds>& second, double share) {
  const double place = static_cast<double>(second.size() - 1) * share;
  const auto below = static_cast<std::size_t>(place);
  const auto at = second.begin() + static_cast<std::ptrdiff_t>(below);
  std::nth_element(second.begin(), at, second.end());
  const Nanoseconds next = below + 1 < second.size() ? *std::min_element(at + 1, second.end()) : *at;
  const double part = place - static_cast<double>(below);
  return (static_cast<double>(at->count()) + part * static_cast<double>((next - *at).count())) / 1e6;
}

void add_frames(std::span<const FrameRecord> frames, std::vector<SecondSeries>& all) {
  Series rate(figure_of_frames("frame.rate", "Frame rate", "FPS", Unit::frames_per_second));
  Series median(figure_of_frames("frame.time", "Median frame time", "Frame time", Unit::millisecond));
  Series slowest(figure_of_frames("frame.percentile@99%", "99th percentile of frame time", "99 %", Unit::millisecond));
  std::size_t seconds = 0;
  const auto take = [&](std::size_t second, std::vector<Nanoseconds>& times) {
    ++seconds;
    rate.put(second, rate_of(times));
    median.put(second, percentile_of(times, 0.5));
    slowest.put(second, percentile_of(times, 0.99));
  };
  BySecond<Nanoseconds> times;
  for (const FrameRecord& frame : frames) {
    if (frame.interval > Nanoseconds{} && frame.interval <= kLongestTime)
      times.add(second_of(frame.at), frame.interval, take);
  }
  if (seconds == 0) times.hand_over(take);  // else the last one may be a part of a second
  for (Series* one : {&rate, &median, &slowest}) one->finish(all);
}

bool has_seconds(const ReadingInfo& info) {
  return !info.text && info.kind != DeviceKind::frames && !info.id.starts_with("recording.");
}

/// A reading's numbers, one for each second.
class Medians {
 public:
  explicit Medians(const ReadingInfo& info, std::size_t seconds = 0) : series_(info, seconds) {}

  void add(std::size_t second, double value) { values_.add(second, value, Put{series_}); }

  /// The only two numbers of a second: their median is their mean.
  void add_two(std::size_t second, double a, double b) {
    if (values_.goes_on_to(second, Put{series_})) series_.put(second, (a + b) / 2);
  }

  void finish(std::vector<SecondSeries>& all) {
    values_.hand_over(Put{series_});
    series_.finish(all);
  }

 private:
  struct Put {
    Series& series;
    void operator()(std::size_t second, std::vector<double>& values) const {
      series.put(second, frames::median_of(values));
    }
  };

  Series series_;
  BySecond<double> values_;
};

/// Samples [begin, end) that fall into one second.
struct OneSecond {
  std::size_t second = 0, begin = 0, end = 0;
  bool is_whole = false;  ///< neither the first nor the last of its part
};

std::vector<OneSecond> seconds_in(const std::vector<Moment>& at) {
  std::vector<OneSecond> seconds;
  for (std::size_t i = 0; i < at.size(); ++i) {
    const std::size_t second = second_of(at[i]);
    if (seconds.empty() || second != seconds.back().second) seconds.push_back({second, i, i, i > 0});
    seconds.back().end = i + 1;
  }
  if (!seconds.empty()) seconds.back().is_whole = false;
  return seconds;
}

void add(Medians& medians, const std::vector<double>& values, const std::vector<OneSecond>& seconds) {
  for (const OneSecond& one : seconds) {
    const double* const first = values.data() + one.begin;
    if (one.is_whole && one.end - one.begin == 2 && std::isfinite(first[0]) && std::isfinite(first[1])) {
      medians.add_two(one.second, first[0], first[1]);
      continue;
    }
    for (std::size_t i = one.begin; i < one.end; ++i) {
      if (std::isfinite(values[i])) medians.add(one.second, values[i]);
    }
  }
}

}  // namespace

Moment SecondSeries::moment(std::size_t value) const {
  std::size_t second = value;
  for (const SecondGap& gap : gaps) second += gap.before <= value ? gap.seconds : 0;
  return begin + kSecond * static_cast<std::int64_t>(second);
}

std::vector<SecondSeries> seconds_of(std::span<const FrameRecord> frames, const std::vector<RunSeries>& series) {
  std::vector<SecondSeries> all;
  add_frames(frames, all);
  for (const RunSeries& one : series) {
    if (!has_seconds(one.info)) continue;
    Medians medians(one.info);
    for (std::size_t i = 0; i < one.at.size(); ++i) {
      if (const auto value = number(one.values[i])) medians.add(second_of(one.at[i]), *value);
    }
    medians.finish(all);
  }
  return all;
}

std::vector<SecondSeries> seconds_of(const Store& store, std::int64_t run) {
  constexpr Nanoseconds kMostReserved = std::chrono::hours(48);
  std::vector<SecondSeries> all;
  add_frames(store.frames(run), all);
  const auto length = static_cast<std::size_t>(std::min(store.run(run).length, kMostReserved) / kSecond);
  std::vector<std::pair<std::size_t, Medians>> readings;  // with their columns
  const std::vector<ReadingInfo> infos = store.readings(run);
  for (std::size_t column = 0; column < infos.size(); ++column) {
    if (has_seconds(infos[column])) readings.emplace_back(column, Medians(infos[column], length + 1));
  }
  store.read_samples(run, [&](const RunSamples& samples) {
    const std::vector<OneSecond> seconds = seconds_in(samples.at);
    for (auto& [column, medians] : readings) {
      if (column < samples.columns.size()) add(medians, samples.columns[column], seconds);
    }
  });
  for (auto& [column, medians] : readings) medians.finish(all);
  return all;
}

}  // namespace idlemeter
