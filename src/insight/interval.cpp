#include "idlemeter/insight/interval.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <random>
#include <stdexcept>
#include <vector>

#include "frames/tail.hpp"
#include "idlemeter/base/time.hpp"

namespace idlemeter {
namespace {

constexpr std::size_t kLeastFrames = 25;  // in a tail
constexpr double kLeastBlocks = 25;

void check(const Figure& figure, const IntervalOptions& options) {
  if (!(options.confidence > 0 && options.confidence < 1) || options.resamples < 100)
    throw std::invalid_argument("an interval has a confidence between 0 and 1 and at least 100 resamples");
  if (figure.kind == Figure::Kind::percentile && !(figure.q >= 0 && figure.q <= 1))
    throw std::invalid_argument(fmt::format("percentile {} is not from 0 to 1", figure.q));
  if (figure.kind == Figure::Kind::low && (figure.share.ppm == 0 || figure.share.ppm >= 1'000'000))
    throw std::invalid_argument("a low's share is between 0 and 1");
}

/// Frames by length, so that a resample is a list of counts by rank.
struct Ranked {
  explicit Ranked(std::span<const Nanoseconds> intervals) {
    for (const Nanoseconds interval : intervals) {
      if (frames::is_frame(interval)) times.push_back(static_cast<double>(interval.count()));
    }
    std::vector<std::uint32_t> order(times.size());
    std::iota(order.begin(), order.end(), 0u);
    std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) { return times[a] < times[b]; });
    rank.resize(times.size());
    sorted.resize(times.size());
    for (std::uint32_t i = 0; i < order.size(); ++i) {
      rank[order[i]] = i;
      sorted[i] = times[order[i]];
    }
  }

  [[nodiscard]] std::size_t size() const { return times.size(); }

  std::vector<double> times;  // in the order of play
  std::vector<std::uint32_t> rank;
  std::vector<double> sorted;
};

/// A figure of frames that are given as counts by rank.
class Counted {
 public:
  Counted(const Ranked& frames, const Figure& figure) : frames_(frames), figure_(figure), counts_(frames.size()) {}

  std::vector<std::uint32_t>& counts() { return counts_; }

  [[nodiscard]] double figure() const {
    const auto n = static_cast<double>(frames_.size());
    switch (figure_.kind) {
      case Figure::Kind::average:
        return total() / n;
      case Figure::Kind::percentile:
        return percentile(figure_.q);
      case Figure::Kind::low:
        break;
    }
    const double share = figure_.share.ppm / 1e6;
    if (figure_.definition == LowDefinition::percentile) return percentile(1 - share);
    if (figure_.definition == LowDefinition::share_of_time) return reaching(share * total());
    return mean_of_slowest(std::ceil(share * n - 1e-9));
  }

 private:
  [[nodiscard]] double total() const {
    double sum = 0;
    for (std::size_t i = 0; i < counts_.size(); ++i) sum += counts_[i] * frames_.sorted[i];
    return sum;
  }

  [[nodiscard]] double percentile(double q) const {
    const double h = static_cast<double>(frames_.size() - 1) * q, rank = std::floor(h);
    const double lower = at_rank(static_cast<std::size_t>(rank));
    if (h == rank) return lower;
    return lower + (h - rank) * (at_rank(static_cast<std::size_t>(rank) + 1) - lower);
  }

  [[nodiscard]] double at_rank(std::size_t rank) const {
    const std::size_t n = frames_.size();
    if (rank > n / 2) {
      std::size_t above = n - rank;  // this many are at or above it
      for (std::size_t i = n; i-- > 0;) {
        if (counts_[i] >= above) return frames_.sorted[i];
        above -= counts_[i];
      }
    }
    for (std::size_t i = 0; i < n; ++i) {
      if (counts_[i] > rank) return frames_.sorted[i];
      rank -= counts_[i];
    }
    return frames_.sorted.back();
  }

  [[nodiscard]] double mean_of_slowest(double k) const {
    double sum = 0, left = k;
    for (std::size_t i = frames_.size(); i-- > 0 && left > 0;) {
      const double taken = std::min<double>(left, counts_[i]);
      sum += taken * frames_.sorted[i];
      left -= taken;
    }
    return sum / k;
  }

  [[nodiscard]] double reaching(double time) const {
    for (std::size_t i = frames_.size(); i-- > 0;) {
      time -= counts_[i] * frames_.sorted[i];
      if (counts_[i] > 0 && time <= 0) return frames_.sorted[i];
    }
    return frames_.sorted.front();
  }

  const Ranked& frames_;
  const Figure& figure_;
  std::vector<std::uint32_t> counts_;
};

/// How much each frame moves the figure, up to a factor: what the block length has to suit.
std::vector<double> influence_on(const Ranked& frames, const Figure& figure, double value) {
  std::vector<double> influence(frames.times);
  if (figure.kind == Figure::Kind::average) return influence;
  const bool is_rank = figure.kind == Figure::Kind::percentile || figure.definition == LowDefinition::percentile;
  if (is_rank) {
    for (double& one : influence) one = one > value ? 1 : 0;
    return influence;
  }
  const double share = figure.share.ppm / 1e6;
  if (figure.definition == LowDefinition::share_of_time) {
    for (double& one : influence) one = one > value ? one : 0;
    return influence;
  }
  const auto slowest = static_cast<std::size_t>(std::ceil(share * static_cast<double>(frames.size())));
  const double from = frames.sorted[frames.size() - std::min(slowest, frames.size())];
  for (double& one : influence) one = std::max(0.0, one - from);
  return influence;
}

/// Frames beyond the figure: what it rests on.
std::size_t frames_beyond(std::size_t n, const Figure& figure) {
  const double share = figure.kind == Figure::Kind::average      ? 0.5
                       : figure.kind == Figure::Kind::percentile ? std::min(figure.q, 1 - figure.q)
                                                                 : figure.share.ppm / 1e6;
  return static_cast<std::size_t>(share * static_cast<double>(n));
}

/// Draws n frames in blocks of geometric length with that mean; the run is a circle.
void draw(const Ranked& frames, double block, std::mt19937_64& random, std::vector<std::uint32_t>& counts) {
  std::fill(counts.begin(), counts.end(), 0u);
  const std::size_t n = frames.size();
  const double scale = block > 1 ? 1 / std::log1p(-1 / block) : 0;  // of the inverse of the geometric distribution
  for (std::size_t drawn = 0; drawn < n;) {
    const std::uint64_t bits = random();  // half for the place, half for the length
    std::size_t at = (bits >> 32) * n >> 32;
    const double uniform = (static_cast<double>(bits & 0xffff'ffff) + 0.5) * 0x1p-32;
    const auto length = 1 + static_cast<std::size_t>(scale == 0 ? 0 : std::log(uniform) * scale);
    for (const std::size_t end = std::min(n, drawn + length); drawn < end; ++drawn) {
      ++counts[frames.rank[at]];
      at = at + 1 == n ? 0 : at + 1;
    }
  }
}

std::string too_few(std::size_t n, const Figure& figure) {
  const std::size_t beyond = frames_beyond(n, figure);
  if (figure.kind == Figure::Kind::average)
    return fmt::format("only {} frames; at least {} are needed", n, 2 * kLeastFrames);
  if (figure.kind == Figure::Kind::low)
    return fmt::format("only {} frames in the slowest {}; at least {} are needed", beyond, to_string(figure.share),
                       kLeastFrames);
  return fmt::format("only {} frames beyond the percentile; at least {} are needed", beyond, kLeastFrames);
}

/// A variance that is estimated from n independent elements varies by (kurtosis - 1) / n of its square: few slow frames
/// far out make it uncertain.
double freedom_of(std::span<const double> centred, double variance, double inflation) {
  double fourth = 0;
  for (const double one : centred) fourth += one * one * one * one;
  const auto n = static_cast<double>(centred.size());
  const double kurtosis = fourth / n / (variance * variance);
  return 2 * n / inflation / std::max(1e-9, kurtosis - 1);
}

/// How a series depends on its past: what the block length and the width of an interval follow from.
struct Dependence {
  double block = 1;         ///< mean block length
  double shortfall = 0;     ///< share of the variance that blocks of this length miss: G / (b g(0))
  double inflation = 1;     ///< of the variance of the mean against independent elements: g(0) / R(0)
  double acceleration = 0;  ///< how much the spread of the figure grows with the figure
  double freedom = 0;       ///< degrees of freedom of the estimated variance: 2 / its relative variance
};

/// From the skewness of what independent parts of the run contribute (Efron 1987): blocks, for frames depend on each
/// other.
double acceleration_of(std::span<const double> centred, double block) {
  const auto length = static_cast<std::size_t>(std::ceil(block));
  double squares = 0, cubes = 0;
  for (std::size_t i = 0; i + length <= centred.size(); i += length) {
    const double sum = std::accumulate(&centred[i], &centred[i] + length, 0.0);
    squares += sum * sum;
    cubes += sum * sum * sum;
  }
  return squares > 0 ? cubes / (6 * std::pow(squares, 1.5)) : 0;
}

Dependence dependence_of(std::span<const double> series) {
  const auto n = static_cast<double>(series.size());
  if (series.size() < 16) return {};
  const double mean = std::accumulate(series.begin(), series.end(), 0.0) / n;
  std::vector<double> centred(series.begin(), series.end());
  for (double& one : centred) one -= mean;
  const auto covariance = [&](std::size_t lag) {
    return std::inner_product(centred.begin() + static_cast<std::ptrdiff_t>(lag), centred.end(), centred.begin(), 0.0) /
           n;
  };
  const double variance = covariance(0);
  if (variance <= 0) return {};
  const auto in_a_row = static_cast<std::size_t>(std::max(5.0, std::ceil(std::sqrt(std::log10(n)))));
  const std::size_t most = std::min(static_cast<std::size_t>(std::ceil(std::sqrt(n))) + in_a_row, series.size() / 2);
  const double small = 2 * std::sqrt(std::log10(n) / n);
  // The smallest lag after which so many correlations in a row are small.
  std::vector<double> covariances = {variance};
  std::size_t run = 0, lag = 1;
  for (; lag <= most && run < in_a_row; ++lag) {
    covariances.push_back(covariance(lag));
    run = std::abs(covariances.back() / variance) < small ? run + 1 : 0;
  }
  const std::size_t last = lag - 1 - run;
  const std::size_t width = std::min(std::max<std::size_t>(2 * last, 1), most);
  while (covariances.size() <= width) covariances.push_back(covariance(covariances.size()));
  double spectrum = variance, slope = 0;  // g(0) and G
  for (std::size_t k = 1; k <= width; ++k) {
    const double t = static_cast<double>(k) / static_cast<double>(width);
    const double weight = t <= 0.5 ? 1 : 2 * (1 - t);
    spectrum += 2 * weight * covariances[k];
    slope += 2 * weight * static_cast<double>(k) * covariances[k];
  }
  if (spectrum <= 0) return {};
  const double ratio = slope / spectrum;
  const double block = std::clamp(std::cbrt(ratio * ratio * n), 1.0, std::ceil(std::min(3 * std::sqrt(n), n / 3)));
  return {block, std::clamp(ratio / block, 0.0, 0.5), std::max(1.0, spectrum / variance),
          acceleration_of(centred, block), freedom_of(centred, variance, std::max(1.0, spectrum / variance))};
}

double normal_share(double z) { return 0.5 * std::erfc(-z / std::sqrt(2.0)); }

/// The inverse of normal_share() by bisection: a dozen calls an interval.
double normal_quantile(double share) {
  double low = -8, high = 8;
  for (int i = 0; i < 60; ++i) {
    const double middle = (low + high) / 2;
    (normal_share(middle) < share ? low : high) = middle;
  }
  return (low + high) / 2;
}

/// Student's t from the normal quantile (Cornish & Fisher; Abramowitz & Stegun 26.7.5).
double student(double z, double freedom) {
  const double cube = z * z * z;
  return z + (cube + z) / (4 * freedom) + (5 * cube * z * z + 16 * cube + 3 * z) / (96 * freedom * freedom);
}

/// The ends of the interval from the resampled figures: percentiles corrected for the resamples' bias (Efron 1981), as
/// far out as Student's t with `freedom` asks for (Hesterberg 2015), and widened by what the blocks miss.
FigureInterval ends_of(std::vector<double> figures, double figure, const Dependence& dependence, double freedom,
                       double confidence) {
  std::sort(figures.begin(), figures.end());
  const auto n = static_cast<double>(figures.size());
  const auto below = static_cast<double>(std::lower_bound(figures.begin(), figures.end(), figure) - figures.begin());
  const auto up_to = static_cast<double>(std::upper_bound(figures.begin(), figures.end(), figure) - figures.begin());
  const double bias = normal_quantile(std::clamp((below + up_to) / 2 / n, 0.05, 0.95));
  const double reach = student(normal_quantile((1 + confidence) / 2), std::max(4.0, freedom));
  const double widen = 1 / std::sqrt(1 - dependence.shortfall);
  const auto end = [&](double z) {
    const double from = bias + z,
                 accelerated = bias + from / (1 - std::clamp(dependence.acceleration, -0.1, 0.1) * from);
    const double h = (n - 1) * normal_share(accelerated), i = std::floor(h);
    const double lower = figures[static_cast<std::size_t>(i)];
    const double at = h > i ? lower + (h - i) * (figures[static_cast<std::size_t>(i) + 1] - lower) : lower;
    return figure * std::pow(at / figure, widen);  // times are positive, and spread by factors
  };
  return {end(-reach), end(reach), dependence.block};
}

IntervalResult interval_of(const Ranked& frames, const Figure& figure, const IntervalOptions& options) {
  check(figure, options);
  if (frames_beyond(frames.size(), figure) < kLeastFrames) return {std::nullopt, too_few(frames.size(), figure)};
  Counted counted(frames, figure);
  std::fill(counted.counts().begin(), counted.counts().end(), 1u);
  const double figure_here = counted.figure();
  const Dependence dependence = dependence_of(influence_on(frames, figure, figure_here));
  const double block = dependence.block;
  if (static_cast<double>(frames.size()) / block < kLeastBlocks) {
    return {std::nullopt, fmt::format("frames depend on each other over {:.0f} frames, too long for a run of {}", block,
                                      frames.size())};
  }
  std::mt19937_64 random(options.seed);
  std::vector<double> figures(static_cast<std::size_t>(options.resamples));
  for (std::size_t i = 0; i < figures.size(); ++i) {
    draw(frames, block, random, counted.counts());
    figures[i] = counted.figure();
    const bool goes_on = i % 64 != 0 || !options.progress ||
                         options.progress(static_cast<double>(i) / static_cast<double>(figures.size()));
    if (!goes_on) return {std::nullopt, "given up"};
  }
  const double beyond = static_cast<double>(frames_beyond(frames.size(), figure)) / dependence.inflation - 1;
  const double freedom = std::min(beyond, dependence.freedom);
  return {ends_of(std::move(figures), figure_here, dependence, freedom, options.confidence), {}};
}

}  // namespace

double block_length_for(std::span<const double> series) { return dependence_of(series).block; }

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
  for (std::size_t i = 0; i < figures.size(); ++i) {
    IntervalOptions part = options;
    if (options.progress) {
      part.progress = [&, i](double done) {
        return options.progress((static_cast<double>(i) + done) / static_cast<double>(figures.size()));
      };
    }
    figures[i].result = interval_of(frames, figures[i].figure, part);
  }
  return figures;
}

}  // namespace idlemeter
