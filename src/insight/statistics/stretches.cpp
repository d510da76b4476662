#include "idlemeter/insight/stretches.hpp"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <stdexcept>

#include "frames/median.hpp"
#include "idlemeter/base/error.hpp"
#include "insight/statistics/robust.hpp"
#include "insight/statistics/running_medians.hpp"

namespace idlemeter {

using frames::median_of;
using insight::far_from_median;
using insight::kToDeviation;
using insight::median_if_far;
using insight::running_medians;

namespace {

constexpr double kOutlier = 4;  // spreads around the running median, beyond which a number counts as that far
constexpr double kMostInflation = 120;
constexpr std::size_t kLongest = 5'400;  // numbers; the noise of a longer series is measured here and there
constexpr std::size_t kPlaces = 1'000;   // at which that is

/// How many numbers make a block of a series that is so long.
constexpr std::size_t block_of(std::size_t n) {
  if (n <= 600) return 1;
  if (n <= kLongest) return 2;
  return n <= 43'200 ? 8 : 16;
}

/// Sums of a series from its start, for lines through any part of it in constant time: each number weighs as much as
/// the inverse of its variance. Places count from the middle of the series, so that no digits are lost.
class Sums {
 public:
  /// `spreads` may be empty: all are 1.
  Sums(std::span<const double> values, std::span<const double> spreads)
      : origin_(static_cast<double>(values.size()) / 2) {
    all_.resize(values.size() + 1);
    for (std::size_t i = 0; i < values.size(); ++i) {
      const double x = place(i), y = values[i], w = spreads.empty() ? 1 : 1 / (spreads[i] * spreads[i]);
      const Sum& before = all_[i];
      all_[i + 1] = {before.w + w,     before.x + w * x,      before.xx + w * x * x,
                     before.y + w * y, before.xy + w * x * y, before.yy + w * y * y};
    }
  }

  /// The weighted squared distance of the values to the line through them.
  [[nodiscard]] double distance(std::size_t begin, std::size_t end) const {
    const Sum &from = all_[begin], &to = all_[end];
    const double w = 1 / (to.w - from.w), x = to.x - from.x, y = to.y - from.y;
    const double xx = to.xx - from.xx - x * x * w, xy = to.xy - from.xy - x * y * w;
    return std::max(0.0, to.yy - from.yy - y * y * w - (xx > 0 ? xy * xy / xx : 0));
  }

 private:
  [[nodiscard]] double place(std::size_t i) const { return static_cast<double>(i) - origin_; }

  struct Sum {
    double w = 0, x = 0, xx = 0, y = 0, xy = 0, yy = 0;
  };
  double origin_;
  std::vector<Sum> all_;
};

/// In units of the spread, from the first number; nothing farther from its neighbours' median than an outlier.
std::vector<double> scaled(std::span<const double> series, double spread, std::span<const double> spreads) {
  constexpr std::size_t kAround = 11;
  std::vector<double> values(series.begin(), series.end());
  const auto pull = [&](std::size_t i, double median, double reach) {
    values[i] = median + std::copysign(reach, series[i] - median);
  };
  if (spreads.empty()) {
    for (const auto& [i, median] : far_from_median(series, kAround, kOutlier * spread))
      pull(i, median, kOutlier * spread);
  }
  for (std::size_t i = 0; i < spreads.size(); ++i) {
    if (const auto median = median_if_far(series, i, kAround, kOutlier * spreads[i]))
      pull(i, *median, kOutlier * spreads[i]);
  }
  const double first = series.front(), per_spread = 1 / spread;
  for (double& value : values) value = (value - first) * per_spread;
  return values;
}

/// How a series is searched.
struct Search {
  double penalty = 0;
  std::size_t least = 2, look_back = 2;
  std::size_t dense = 2;  ///< candidates: so many of the newest places, then every second of twice as many, and so on
};

/// The places where a stretch that ends at `end` may begin: all of the newest `dense`, every second of the 2 `dense`
/// before them, every fourth of the next, down to `look_back`. Those of a step are its multiples, so that the same
/// places stay candidates as `end` moves on.
template <typename Consider>
void each_candidate(std::size_t end, const Search& how, const Consider& consider) {
  const std::size_t oldest = end - std::min(end, how.look_back);
  std::size_t to = end - how.least + 1;  // one behind the newest that isn't considered yet
  for (std::size_t step = 1; to > oldest; step *= 2) {
    const std::size_t from = to - std::min(to - oldest, how.dense * step);
    for (std::size_t begin = (from + step - 1) / step * step; begin < to; begin += step) consider(begin);
    to = from;
  }
}

/// Of many candidates the cheaper half stays: no best way leads through the others for a while.
template <typename Cost>
void give_up_unlikely(std::vector<std::size_t>& likely, const Cost& cost) {
  constexpr std::size_t kMost = 64;
  if (likely.size() <= kMost) return;
  std::nth_element(likely.begin(), likely.begin() + kMost / 2, likely.end(),
                   [&](std::size_t a, std::size_t b) { return cost(a) < cost(b); });
  likely.resize(kMost / 2);
}

/// The cuts of the best way to `n`, from 0 on.
std::vector<std::size_t> way_back(const std::vector<std::size_t>& before, std::size_t n) {
  std::vector<std::size_t> cuts;
  for (std::size_t end = n; end > 0; end = before[end]) cuts.push_back(end);
  cuts.push_back(0);
  std::reverse(cuts.begin(), cuts.end());
  return cuts;
}

/// Where stretches begin, and the end of the last.
std::vector<std::size_t> cuts_of(const Sums& sums, std::size_t n, const Search& how) {
  std::vector<std::size_t> before(n + 1, 0);  // where the last stretch of the best way up to here begins
  std::vector<double> best(n + 1, std::numeric_limits<double>::infinity());
  best[0] = -how.penalty;
  std::vector<std::size_t> likely = {0};  // older candidates that once were the best, or the start
  for (std::size_t end = how.least; end <= n; ++end) {
    const auto consider = [&](std::size_t begin) {
      const double cost = best[begin] + sums.distance(begin, end) + how.penalty;
      if (cost < best[end]) {
        best[end] = cost;
        before[end] = begin;
      }
    };
    each_candidate(end, how, consider);
    for (const std::size_t begin : likely) consider(begin);
    // The beginning of what is now the last stretch stays a candidate, however old it gets.
    if (std::find(likely.begin(), likely.end(), before[end]) == likely.end()) likely.push_back(before[end]);
    give_up_unlikely(likely, [&](std::size_t begin) { return best[begin] + sums.distance(begin, end); });
  }
  return way_back(before, n);
}

/// Each cut to the number around it that is the best.
void refine(std::vector<std::size_t>& cuts, const Sums& sums, std::size_t reach, std::size_t least) {
  for (std::size_t i = 1; i + 1 < cuts.size(); ++i) {
    const std::size_t from = std::max(cuts[i] - std::min(cuts[i], reach), cuts[i - 1] + least),
                      to = std::min(cuts[i] + reach, cuts[i + 1] - least);
    double closest = std::numeric_limits<double>::infinity();
    for (std::size_t at = from; at <= to; ++at) {
      const double distance = sums.distance(cuts[i - 1], at) + sums.distance(at, cuts[i + 1]);
      if (distance >= closest) continue;
      closest = distance;
      cuts[i] = at;
    }
  }
}

/// First among means of blocks, then to the number around each cut: a day of seconds takes little of the time.
std::vector<std::size_t> cuts_by_blocks(const std::vector<double>& values, const std::vector<double>& spreads,
                                        double penalty, const StretchRules& rules) {
  const std::size_t n = values.size(), block = block_of(n), blocks = n / block;
  std::vector<double> means(blocks), block_spreads(spreads.empty() ? 0 : blocks);
  for (std::size_t i = 0; i < blocks; ++i) {
    for (std::size_t j = i * block; j < (i + 1) * block; ++j) {
      means[i] += values[j];
      if (!spreads.empty()) block_spreads[i] += spreads[j] / static_cast<double>(block);
    }
    means[i] /= static_cast<double>(block);
  }
  const std::size_t least = std::max<std::size_t>(2, (rules.least + block - 1) / block);
  std::vector<std::size_t> cuts = cuts_of(Sums(means, block_spreads), blocks,
                                          {.penalty = penalty / static_cast<double>(block),
                                           .least = least,
                                           .look_back = std::max(least, rules.look_back / block),
                                           .dense = std::max<std::size_t>(8, 32 / block)});
  for (std::size_t& cut : cuts) cut *= block;
  cuts.back() = n;
  refine(cuts, Sums(values, spreads), std::max<std::size_t>(16, 4 * block), rules.least);
  return cuts;
}

/// The numbers [begin, end) and the line through them.
Stretch stretch_of(std::span<const double> series, std::size_t begin, std::size_t end) {
  const auto count = static_cast<double>(end - begin);
  const double middle = (count - 1) / 2, share = 1 / count;
  const auto part = series.subspan(begin, end - begin);
  const double level =
      std::accumulate(part.begin(), part.end(), 0.0, [share](double sum, double value) { return sum + share * value; });
  double rise = 0;
  for (std::size_t i = 0; i < part.size(); ++i) rise += (static_cast<double>(i) - middle) * (part[i] - level);
  const double slope = end - begin > 1 ? rise * 12 / (count * (count * count - 1)) : 0;
  return {begin, end, level, level - slope * middle, level + slope * middle};
}

/// Distances from the running median and sizes of steps: of a long series, at places spread evenly.
struct Scatter {
  std::vector<double> apart, steps;

  Scatter(std::span<const double> series, std::size_t window) {
    const std::size_t stride = series.size() <= kLongest ? 1 : series.size() / kPlaces, half = window / 2;
    if (stride == 1) {
      const std::vector<double> medians = running_medians(series, window);
      for (std::size_t i = 0; i < series.size(); ++i) apart.push_back(std::abs(series[i] - medians[i]));
    }
    std::vector<double> around;
    for (std::size_t i = 0; stride > 1 && i < series.size(); i += stride) {
      const std::size_t from = i - std::min(i, half), to = std::min(series.size(), i + half + 1);
      around.assign(series.begin() + static_cast<std::ptrdiff_t>(from),
                    series.begin() + static_cast<std::ptrdiff_t>(to));
      apart.push_back(std::abs(series[i] - median_of(around)));
    }
    for (std::size_t i = 1; i < series.size(); i += stride) steps.push_back(std::abs(series[i] - series[i - 1]));
  }
};

double root_mean_square(const std::vector<double>& numbers) {
  double sum = 0;
  for (const double one : numbers) sum += one * one;
  return numbers.empty() ? 0 : std::sqrt(sum / static_cast<double>(numbers.size()));
}

/// By the mean distance (of a normal distribution, sqrt(2 / pi) of the deviation); 0 if few numbers are off at all.
double spread_of_few(const std::vector<double>& apart) {
  constexpr double kFew = 0.15, kToDeviationOfMean = 1.2533;
  const auto n = static_cast<double>(apart.size());
  const auto off = std::count_if(apart.begin(), apart.end(), [](double one) { return one > 0; });
  if (static_cast<double>(off) < kFew * n) return 0;
  return kToDeviationOfMean * std::accumulate(apart.begin(), apart.end(), 0.0) / n;
}

double square(double number) { return number * number; }

/// The standard deviation of the levels of blocks of so many numbers: by how far each is from a line through its
/// neighbours, so that neither trends nor some changes count. 0 if the series has few.
double wander_of(std::span<const double> series, std::size_t length, bool is_coarse) {
  constexpr std::size_t kLeastBlocks = 12;
  std::vector<double> block, apart;
  const auto level_from = [&](std::size_t begin) {
    block.assign(series.begin() + static_cast<std::ptrdiff_t>(begin),
                 series.begin() + static_cast<std::ptrdiff_t>(begin + length));
    return is_coarse ? std::accumulate(block.begin(), block.end(), 0.0) / static_cast<double>(length)
                     : median_of(block);
  };
  const std::size_t stride = length * (series.size() <= kLongest ? 1 : 1 + series.size() / kLongest / 2);
  for (std::size_t i = 0; i + 3 * length <= series.size(); i += stride)
    apart.push_back(std::abs(level_from(i) - 2 * level_from(i + length) + level_from(i + 2 * length)));
  return apart.size() < kLeastBlocks ? 0 : kToDeviation * median_of(apart) / std::sqrt(6.0);
}

}  // namespace

Noise noise_of(std::span<const double> series, std::size_t window) {
  Noise noise;
  if (series.size() < 3) return noise;
  Scatter scatter(series, window);
  noise.spread = kToDeviation * median_of(scatter.apart);
  double steps = kToDeviation * median_of(scatter.steps);
  const bool is_coarse = noise.spread <= 0;
  if (is_coarse) {
    // A whole number that often is its neighbours' median, but not only after a few jumps.
    noise.spread = spread_of_few(scatter.apart);
    steps = root_mean_square(scatter.steps);
  }
  if (noise.spread <= 0) return noise;
  // The variance of a step is 2 (1 - r) of the series'.
  const double step = steps / noise.spread;
  const double correlation = std::clamp(1 - step * step / 2, 0.0, 0.99);
  noise.inflation = (1 + correlation) / (1 - correlation);
  // What wanders over minutes varies little around a running median.
  const double half_minute = wander_of(series, 30, is_coarse), minutes = wander_of(series, 120, is_coarse);
  noise.spread = std::max(noise.spread, half_minute);
  constexpr double kSure = 0.6;  // few blocks of two minutes say only roughly how much these vary
  noise.inflation = std::max(
      {noise.inflation, 30 * square(half_minute / noise.spread), 120 * square(kSure * minutes / noise.spread)});
  noise.inflation = std::min(kMostInflation, noise.inflation);
  return noise;
}

std::vector<Stretch> stretches_of(std::span<const double> series, const Noise& noise, const StretchRules& rules,
                                  std::span<const double> spreads) {
  if (!spreads.empty() && spreads.size() != series.size())
    throw Error(Error::Code::misuse, "each number of a series has a spread, or none has");
  if (!(rules.penalty > 0) || rules.least < 2 || rules.look_back < rules.least)
    throw Error(Error::Code::misuse,
                "a penalty is above 0, a stretch has at least 2 numbers, and is looked back for longer");
  if (!std::all_of(series.begin(), series.end(), [](double value) { return std::isfinite(value); }))
    throw Error(Error::Code::misuse, "a series has finite numbers");
  if (series.empty()) return {};
  const std::size_t n = series.size();
  std::vector<std::size_t> cuts = {0, n};
  if (noise.spread > 0 && n >= 2 * rules.least) {
    std::vector<double> relative;
    for (const double spread : spreads) relative.push_back(spread / noise.spread);
    const std::vector<double> values = scaled(series, noise.spread, spreads);
    const double penalty = rules.penalty * noise.inflation;
    cuts = cuts_by_blocks(values, relative, penalty, rules);
  }
  std::vector<Stretch> stretches;
  for (std::size_t i = 1; i < cuts.size(); ++i) stretches.push_back(stretch_of(series, cuts[i - 1], cuts[i]));
  return stretches;
}

}  // namespace idlemeter
