#include "idlemeter/insight/stretches.hpp"

#include <algorithm>
#include <cmath>
#include <deque>
#include <limits>
#include <stdexcept>

#include "frames/median.hpp"
#include "insight/running_medians.hpp"

namespace idlemeter {

using frames::median_of;
using insight::running_medians;

namespace {

constexpr double kOutlier = 4;  // spreads around the running median, beyond which a number counts as that far
constexpr double kMostInflation = 30;
constexpr double kToDeviation = 1.4826;
constexpr std::size_t kLongest = 5'400;  // numbers that are looked at one by one
constexpr std::size_t kBlock = 8;        // of longer series

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

  struct Line {
    double level = 0, slope = 0, middle = 0, distance = 0;  ///< weighted squared distance of the values to it
  };

  [[nodiscard]] Line line(std::size_t begin, std::size_t end) const {
    const Sum &from = all_[begin], &to = all_[end];
    const double w = to.w - from.w, middle = (to.x - from.x) / w, level = (to.y - from.y) / w;
    const double xx = to.xx - from.xx - w * middle * middle, xy = to.xy - from.xy - w * middle * level;
    const double slope = xx > 0 ? xy / xx : 0;
    return {level, slope, middle, std::max(0.0, to.yy - from.yy - w * level * level - slope * xy)};
  }

  [[nodiscard]] double place(std::size_t i) const { return static_cast<double>(i) - origin_; }

 private:
  struct Sum {
    double w = 0, x = 0, xx = 0, y = 0, xy = 0, yy = 0;
  };
  double origin_;
  std::vector<Sum> all_;
};

/// In units of the spread, from the first number; nothing farther from its neighbours' median than an outlier.
std::vector<double> scaled(std::span<const double> series, double spread, std::span<const double> spreads) {
  const std::vector<double> medians = running_medians(series, 11);
  std::vector<double> values;
  values.reserve(series.size());
  for (std::size_t i = 0; i < series.size(); ++i) {
    const double reach = kOutlier * (spreads.empty() ? spread : spreads[i]);
    values.push_back((medians[i] + std::clamp(series[i] - medians[i], -reach, reach) - series.front()) / spread);
  }
  return values;
}

/// Where stretches begin, and the end of the last.
std::vector<std::size_t> cuts_of(const Sums& sums, std::size_t n, double penalty, std::size_t least,
                                 std::size_t look_back) {
  std::vector<std::size_t> before(n + 1, 0);  // where the last stretch of the best way up to here begins
  std::vector<double> best(n + 1, std::numeric_limits<double>::infinity());
  best[0] = -penalty;
  std::deque<std::size_t> recent;         // candidates that are looked at one by one
  std::vector<std::size_t> likely = {0};  // older ones that once were the best, or the start
  for (std::size_t end = least; end <= n; ++end) {
    recent.push_back(end - least);
    if (recent.back() != 0 && !std::isfinite(best[recent.back()])) recent.pop_back();
    while (!recent.empty() && recent.front() + look_back < end) recent.pop_front();
    const auto consider = [&](std::size_t begin) {
      const double cost = best[begin] + sums.line(begin, end).distance + penalty;
      if (cost < best[end]) {
        best[end] = cost;
        before[end] = begin;
      }
    };
    for (const std::size_t begin : recent) consider(begin);
    for (const std::size_t begin : likely) consider(begin);
    // The beginning of what is now the last stretch stays a candidate, however old it gets.
    if (std::find(likely.begin(), likely.end(), before[end]) == likely.end()) likely.push_back(before[end]);
    if (likely.size() > 64) {
      // Given up: those that no best way leads through for a while.
      std::nth_element(likely.begin(), likely.begin() + 32, likely.end(), [&](std::size_t a, std::size_t b) {
        return best[a] + sums.line(a, end).distance < best[b] + sums.line(b, end).distance;
      });
      likely.resize(32);
    }
  }
  std::vector<std::size_t> cuts;
  for (std::size_t end = n; end > 0; end = before[end]) cuts.push_back(end);
  cuts.push_back(0);
  std::reverse(cuts.begin(), cuts.end());
  return cuts;
}

/// First among means of blocks, then to the number around each cut: a day of seconds takes a tenth of the time.
std::vector<std::size_t> cuts_by_blocks(const Sums& sums, const std::vector<double>& values,
                                        const std::vector<double>& spreads, double penalty, const StretchRules& rules) {
  const std::size_t n = values.size(), blocks = n / kBlock;
  std::vector<double> means(blocks), block_spreads(spreads.empty() ? 0 : blocks);
  for (std::size_t i = 0; i < blocks; ++i) {
    for (std::size_t j = i * kBlock; j < (i + 1) * kBlock; ++j) {
      means[i] += values[j] / kBlock;
      if (!spreads.empty()) block_spreads[i] += spreads[j] / kBlock;
    }
  }
  const std::size_t least = std::max<std::size_t>(2, (rules.least + kBlock - 1) / kBlock);
  std::vector<std::size_t> cuts =
      cuts_of(Sums(means, block_spreads), blocks, penalty / kBlock, least, std::max(least, rules.look_back / kBlock));
  for (std::size_t& cut : cuts) cut *= kBlock;
  cuts.back() = n;
  for (std::size_t i = 1; i + 1 < cuts.size(); ++i) {
    const std::size_t from = std::max(cuts[i] - 2 * kBlock, cuts[i - 1] + rules.least),
                      to = std::min(cuts[i] + 2 * kBlock, cuts[i + 1] - rules.least);
    double closest = std::numeric_limits<double>::infinity();
    for (std::size_t at = from; at <= to; ++at) {
      const double distance = sums.line(cuts[i - 1], at).distance + sums.line(at, cuts[i + 1]).distance;
      if (distance >= closest) continue;
      closest = distance;
      cuts[i] = at;
    }
  }
  return cuts;
}

}  // namespace

Noise noise_of(std::span<const double> series, std::size_t window) {
  Noise noise;
  if (series.size() < 3) return noise;
  const std::vector<double> medians = running_medians(series, window);
  std::vector<double> apart, steps;
  for (std::size_t i = 0; i < series.size(); ++i) apart.push_back(std::abs(series[i] - medians[i]));
  for (std::size_t i = 1; i < series.size(); ++i) steps.push_back(std::abs(series[i] - series[i - 1]));
  noise.spread = kToDeviation * median_of(apart);
  if (noise.spread <= 0) return noise;
  // The variance of a step is 2 (1 - r) of the series'.
  const double step = kToDeviation * median_of(steps) / noise.spread;
  const double correlation = std::clamp(1 - step * step / 2, 0.0, 0.99);
  noise.inflation = (1 + correlation) / (1 - correlation);
  // What wanders over minutes varies little around a running median. The medians of blocks show it.
  constexpr std::size_t kHalfMinute = 30, kLeastBlocks = 12;
  std::vector<double> blocks, between;
  for (std::size_t i = 0; i + kHalfMinute <= series.size(); i += kHalfMinute) {
    std::vector<double> block(series.begin() + static_cast<std::ptrdiff_t>(i),
                              series.begin() + static_cast<std::ptrdiff_t>(i + kHalfMinute));
    blocks.push_back(median_of(block));
  }
  for (std::size_t i = 1; i < blocks.size(); ++i) between.push_back(std::abs(blocks[i] - blocks[i - 1]));
  if (between.size() >= kLeastBlocks) {
    const double wander = kToDeviation * median_of(between) / std::sqrt(2.0);
    noise.spread = std::max(noise.spread, wander);
    noise.inflation =
        std::max(noise.inflation, wander * wander * static_cast<double>(kHalfMinute) / (noise.spread * noise.spread));
  }
  noise.inflation = std::min(kMostInflation, noise.inflation);
  return noise;
}

std::vector<Stretch> stretches_of(std::span<const double> series, const Noise& noise, const StretchRules& rules,
                                  std::span<const double> spreads) {
  if (!spreads.empty() && spreads.size() != series.size())
    throw std::invalid_argument("each number of a series has a spread, or none has");
  if (!(rules.penalty > 0) || rules.least < 2 || rules.look_back < rules.least)
    throw std::invalid_argument(
        "a penalty is above 0, a stretch has at least 2 numbers, and is looked back for longer");
  if (!std::all_of(series.begin(), series.end(), [](double value) { return std::isfinite(value); }))
    throw std::invalid_argument("a series has finite numbers");
  if (series.empty()) return {};
  const std::size_t n = series.size();
  std::vector<std::size_t> cuts = {0, n};
  if (noise.spread > 0 && n >= 2 * rules.least) {
    std::vector<double> relative;
    for (const double spread : spreads) relative.push_back(spread / noise.spread);
    const std::vector<double> values = scaled(series, noise.spread, spreads);
    const Sums sums(values, relative);
    const double penalty = rules.penalty * noise.inflation;
    cuts = n <= kLongest ? cuts_of(sums, n, penalty, rules.least, rules.look_back)
                         : cuts_by_blocks(sums, values, relative, penalty, rules);
  }
  std::vector<Stretch> stretches;
  const Sums exact(series, {});
  for (std::size_t i = 1; i < cuts.size(); ++i) {
    const std::size_t begin = cuts[i - 1], end = cuts[i];
    const Sums::Line line = exact.line(begin, end);
    const auto at = [&](std::size_t i) { return line.level + line.slope * (exact.place(i) - line.middle); };
    stretches.push_back({begin, end, line.level, at(begin), at(end - 1)});
  }
  return stretches;
}

}  // namespace idlemeter
