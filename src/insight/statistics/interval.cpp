#include "idlemeter/insight/interval.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <boost/math/distributions/students_t.hpp>
#include <cmath>
#include <numbers>
#include <numeric>
#include <stdexcept>
#include <utility>
#include <vector>

#include "frames/tail.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"

namespace idlemeter {
namespace {

constexpr std::size_t kLeastFrames = 25;  // in a tail
constexpr std::size_t kBins = 480;        // parts of a run, whose means show how the figure wanders
constexpr std::size_t kSlow = 6;          // the slowest cosines, of a third of the run or longer
constexpr std::size_t kCosines = 60;
constexpr std::size_t kLeastRun = 2 * kCosines;
/// How much stronger the slow cosines may be than the others. By chance, 1 in 50 runs exceeds it.
constexpr double kSteep = 2.8;
/// How much of that the width makes up for: the spectrum goes on growing below the slowest cosine.
constexpr double kGrowth = 1.2;
constexpr double kShareOfReach = 0.25;

void check(const Figure& figure, const IntervalOptions& options) {
  if (!(options.confidence > 0 && options.confidence < 1))
    throw Error(Error::Code::misuse, "an interval has a confidence between 0 and 1");
  if (figure.kind == Figure::Kind::percentile && !(figure.q >= 0 && figure.q <= 1))
    throw Error(Error::Code::misuse, fmt::format("percentile {} is not from 0 to 1", figure.q));
  if (figure.kind == Figure::Kind::low && (figure.share.ppm == 0 || figure.share.ppm >= 1'000'000))
    throw Error(Error::Code::misuse, "a low's share is between 0 and 1");
}

/// The cosines of a series: what varies over the whole run, over half of it, and so on.
struct Spectrum {
  double slow = 0;       ///< squared standard error of the mean, by the slowest cosines
  double steepness = 1;  ///< of the slowest against the others; 1 if neighbours in time don't depend on each other
  double freedom = 1;    ///< degrees of freedom of `slow`

  [[nodiscard]] bool wanders() const { return steepness > kSteep; }
  /// Standard error of the mean.
  [[nodiscard]] double error() const { return std::sqrt(slow * std::max(1.0, std::pow(steepness, kGrowth))); }
};

/// Means of equal parts of the series, less the mean of the whole.
std::vector<double> bins_of(std::span<const double> series) {
  const std::size_t n = series.size(), bins = std::min(n, kBins);
  std::vector<double> means(bins);
  for (std::size_t i = 0; i < bins; ++i) {
    const std::size_t begin = n * i / bins, end = n * (i + 1) / bins;
    means[i] = std::accumulate(&series[begin], &series[begin] + (end - begin), 0.0) / static_cast<double>(end - begin);
  }
  const double mean = std::accumulate(means.begin(), means.end(), 0.0) / static_cast<double>(bins);
  for (double& one : means) one -= mean;
  return means;
}

/// The excess kurtosis of sums of so many neighbouring bins, over their number: what rare and large parts add to the
/// relative variance of an estimated variance.
double excess_of(std::span<const double> bins, std::size_t together) {
  const std::size_t sums = bins.size() / together;
  double squares = 0, fourths = 0;
  for (std::size_t i = 0; i < sums; ++i) {
    const double sum = std::accumulate(&bins[i * together], &bins[i * together] + together, 0.0);
    squares += sum * sum;
    fourths += sum * sum * sum * sum;
  }
  const auto n = static_cast<double>(sums);
  return squares > 0 ? std::max(0.0, fourths * n / (squares * squares) - 3) / n : 0;
}

/// The power of the cosine that takes `halves` half waves over the series.
double power_of(std::span<const double> bins, std::size_t halves) {
  const auto n = static_cast<double>(bins.size());
  const double angle = std::numbers::pi * static_cast<double>(halves) / n, twice = 2 * std::cos(angle);
  double now = std::cos(angle / 2), before = now, sum = 0;  // cos((i + 1/2) angle), by its recurrence
  for (const double bin : bins) {
    sum += bin * now;
    before = std::exchange(now, twice * now - before);
  }
  return 2 * sum * sum / n;
}

Spectrum spectrum_of(std::span<const double> series) {
  const std::vector<double> bins = bins_of(series);
  double slow = 0, fast = 0, excess = 0;
  for (std::size_t i = 1; i <= kCosines; ++i) (i <= kSlow ? slow : fast) += power_of(bins, i);
  slow /= kSlow;
  fast /= kCosines - kSlow;
  for (const std::size_t together : {1u, 2u, 4u, 8u}) excess = std::max(excess, excess_of(bins, together));
  return {.slow = slow / static_cast<double>(bins.size()),
          .steepness = fast > 0 ? slow / fast : 1,
          .freedom = 2 / (2.0 / kSlow + 2 * excess)};
}

/// The frames of a run in the order of play and by length, and what is known of their level.
struct Ranked {
  explicit Ranked(std::span<const Nanoseconds> intervals) {
    for (const Nanoseconds interval : intervals) {
      if (frames::is_frame(interval)) times.push_back(static_cast<double>(interval.count()));
    }
    sorted = times;
    std::sort(sorted.begin(), sorted.end());
    total = std::accumulate(times.begin(), times.end(), 0.0);
    std::vector<double> logs(times);
    for (double& one : logs) one = std::log(one);
    if (times.size() >= kLeastRun) level = spectrum_of(logs);
  }

  [[nodiscard]] std::size_t size() const { return times.size(); }
  [[nodiscard]] double mean() const { return total / static_cast<double>(size()); }

  [[nodiscard]] double percentile(double q) const {
    const double h = static_cast<double>(size() - 1) * q, rank = std::floor(h);
    const auto i = static_cast<std::size_t>(rank);
    return h > rank ? sorted[i] + (h - rank) * (sorted[i + 1] - sorted[i]) : sorted[i];
  }

  /// The frame at which the slowest reach that share of the time.
  [[nodiscard]] double reaching(double share) const {
    double left = share * total;
    for (std::size_t i = size(); i-- > 0;) {
      left -= sorted[i];
      if (left <= 0) return sorted[i];
    }
    return sorted.front();
  }

  std::vector<double> times;
  std::vector<double> sorted;
  double total = 0;
  Spectrum level;  ///< of the logarithms
};

/// What a figure is, seen as the mean of a series.
enum class Way : std::uint8_t { mean, mean_of_slowest, rank, share_of_time };

Way way_of(const Figure& figure) {
  if (figure.kind == Figure::Kind::average) return Way::mean;
  if (figure.kind == Figure::Kind::percentile || figure.definition == LowDefinition::percentile) return Way::rank;
  return figure.definition == LowDefinition::share_of_time ? Way::share_of_time : Way::mean_of_slowest;
}

/// The share of the frames, or of the time, that is slower than the figure.
double share_beyond(const Figure& figure) {
  if (figure.kind == Figure::Kind::average) return 0.5;
  return figure.kind == Figure::Kind::percentile ? 1 - figure.q : figure.share.ppm / 1e6;
}

/// Frames beyond the figure on its smaller side: what it rests on.
std::size_t frames_beyond(std::size_t n, const Figure& figure) {
  const double share = share_beyond(figure);
  return static_cast<std::size_t>(std::min(share, 1 - share) * static_cast<double>(n));
}

double figure_of(const Ranked& frames, const Figure& figure) {
  const double share = share_beyond(figure);
  switch (way_of(figure)) {
    case Way::mean:
      return frames.mean();
    case Way::rank:
      return frames.percentile(1 - share);
    case Way::share_of_time:
      return frames.reaching(share);
    case Way::mean_of_slowest:
      break;
  }
  const auto k = static_cast<std::size_t>(std::ceil(share * static_cast<double>(frames.size()) - 1e-9));
  return std::accumulate(frames.sorted.end() - static_cast<std::ptrdiff_t>(k), frames.sorted.end(), 0.0) /
         static_cast<double>(k);
}

/// The series whose mean errs as the figure does: of a mean, frame times; of a percentile, whether a frame is beyond
/// it; of a mean of the slowest, how far a frame is beyond the fastest of them.
std::vector<double> influence_on(const Ranked& frames, const Figure& figure, double value) {
  std::vector<double> influence(frames.times);
  const double share = share_beyond(figure), mean = frames.mean();
  switch (way_of(figure)) {
    case Way::mean:
      break;
    case Way::rank:
      for (double& one : influence) one = one > value ? 1 : 0;
      break;
    case Way::share_of_time:
      for (double& one : influence) one *= ((one >= value ? 1 : 0) - share) / mean;
      break;
    case Way::mean_of_slowest:
      const auto k = static_cast<std::size_t>(std::ceil(share * static_cast<double>(frames.size()) - 1e-9));
      const double from = frames.sorted[frames.size() - k];
      for (double& one : influence) one = std::max(0.0, one - from) / share;
  }
  return influence;
}

std::string too_few(std::size_t n, const Figure& figure) {
  const std::size_t beyond = frames_beyond(n, figure);
  if (figure.kind == Figure::Kind::low && beyond < kLeastFrames)
    return fmt::format("only {} frames in the slowest {}; at least {} are needed", beyond, to_string(figure.share),
                       kLeastFrames);
  if (figure.kind == Figure::Kind::percentile && beyond < kLeastFrames)
    return fmt::format("only {} frames beyond the percentile; at least {} are needed", beyond, kLeastFrames);
  return fmt::format("only {} frames; at least {} are needed", n, kLeastRun);
}

/// The share that is `apart` away on log-odds.
double moved(double share, double apart) { return 1 / (1 + std::exp(-std::log(share / (1 - share)) - apart)); }

/// How uncertain the log-odds of the share of frames beyond that time are.
double error_at(const Ranked& frames, double time) {
  std::vector<double> beyond(frames.times);
  for (double& one : beyond) one = one > time ? 1 : 0;
  const double share = std::accumulate(beyond.begin(), beyond.end(), 0.0) / static_cast<double>(beyond.size());
  return share > 0 && share < 1 ? spectrum_of(beyond).error() / (share * (1 - share)) : 0;
}

/// The percentiles at the ends of the share (Woodruff 1952). Between two levels the share at an end may
/// be less certain than in the middle, so the least certain counts.
FigureInterval percentiles_around(const Ranked& frames, double share, double t, double error_of_share) {
  double error = error_of_share / (share * (1 - share));
  const auto ends = [&] {
    return FigureInterval{frames.percentile(1 - moved(share, t * error)),
                          frames.percentile(1 - moved(share, -t * error))};
  };
  const FigureInterval first = ends();
  error = std::max({error, error_at(frames, first.low), error_at(frames, first.high)});
  return ends();
}

/// The ends, t standard errors from the figure: of times on their logarithm, of shares on their log-odds.
FigureInterval ends_of(const Ranked& frames, const Figure& figure, double value, double t, double error) {
  const double share = share_beyond(figure);
  switch (way_of(figure)) {
    case Way::rank:
      return percentiles_around(frames, share, t, error);
    case Way::share_of_time: {
      const double apart = t * error / (share * (1 - share));
      return {frames.reaching(moved(share, apart)), frames.reaching(moved(share, -apart))};
    }
    case Way::mean:
    case Way::mean_of_slowest:
      break;
  }
  return {value * std::exp(-t * error / value), value * std::exp(t * error / value)};
}

double student(double freedom, double confidence) {
  return boost::math::quantile(boost::math::students_t(freedom), (1 + confidence) / 2);
}

constexpr const char* kWanders = "the level wanders over the run; only repeats can tell";

IntervalResult interval_of(const Ranked& frames, const Figure& figure, const IntervalOptions& options) {
  constexpr double kLeastFreedom = 3;
  check(figure, options);
  if (frames_beyond(frames.size(), figure) < kLeastFrames || frames.size() < kLeastRun)
    return {std::nullopt, too_few(frames.size(), figure)};
  const double value = figure_of(frames, figure);
  const Spectrum spectrum = spectrum_of(influence_on(frames, figure, value));
  if (spectrum.wanders()) return {std::nullopt, kWanders};
  const double t = student(std::max(kLeastFreedom, spectrum.freedom), options.confidence);
  const FigureInterval interval = ends_of(frames, figure, value, t, spectrum.error());
  // A tail has too few frames to show that the level wanders, but moves with it.
  const double reach = std::log(interval.high / interval.low) / 2;
  if (frames.level.wanders() && 2 * std::sqrt(frames.level.slow) > kShareOfReach * reach)
    return {std::nullopt, kWanders};
  return {interval, {}};
}

}  // namespace

IntervalResult interval_of(std::span<const Nanoseconds> intervals, const Figure& figure,
                           const IntervalOptions& options) {
  return interval_of(Ranked(intervals), figure, options);
}

std::vector<SureFigure> intervals_of(std::span<const Nanoseconds> intervals, const SummaryRequest& request,
                                     const IntervalOptions& options) {
  const Ranked frames(intervals);
  std::vector<SureFigure> figures = {{{}, {}}, {{.kind = Figure::Kind::percentile}, {}}};
  for (const double q : request.percentiles) figures.push_back({{.kind = Figure::Kind::percentile, .q = q}, {}});
  for (const Share share : request.lows) {
    for (const LowDefinition definition : request.definitions)
      figures.push_back({{.kind = Figure::Kind::low, .share = share, .definition = definition}, {}});
  }
  for (SureFigure& one : figures) one.result = interval_of(frames, one.figure, options);
  return figures;
}

}  // namespace idlemeter
