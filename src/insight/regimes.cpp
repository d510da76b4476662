#include "insight/regimes.hpp"

#include <algorithm>
#include <cmath>
#include <span>

#include "idlemeter/readings/units.hpp"

namespace idlemeter::insight {
namespace {

constexpr std::size_t kLong = 43'200;  // seconds

}  // namespace

double step_of(const ReadingInfo& info) { return std::pow(10, -digits_of(info)); }

std::vector<Regime> regimes_of(const SecondSeries& one, const ChangeRules& rules) {
  const std::size_t n = one.values.size();
  std::vector<double> sizes;
  sizes.reserve(n);
  for (std::size_t i = 1; i < n; ++i) sizes.push_back(std::abs(one.values[i] - one.values[i - 1]));
  // Some thousand of them say it as well.
  const auto quantile_step = [&](std::size_t begin, std::size_t end, double share) {
    std::vector<double> part;
    for (std::size_t i = begin; i < end; i += 1 + (end - begin) / 5'000) part.push_back(sizes[i]);
    if (part.empty()) return 0.0;
    const auto at = part.begin() + static_cast<std::ptrdiff_t>(share * static_cast<double>(part.size() - 1));
    std::nth_element(part.begin(), at, part.end());
    return *at;
  };
  // The larger of two robust estimates: seconds with stutters are less than half of all, but more than a tenth.
  const auto spread_of = [&](std::size_t begin, std::size_t end) {
    return std::max(quantile_step(begin, end, 0.5) / 0.6745, quantile_step(begin, end, 0.9) / 1.6449) / std::sqrt(2.0);
  };
  if (n < 3 * kLeastSeconds) return {{0, n, spread_of(0, n - 1)}};
  // Steps much smaller than usual say nothing: their logarithms would be outliers.
  const double least = std::max(step_of(one.info) / 4, 0.25 * quantile_step(0, n - 1, 0.5));
  // Of a day, some steps together: that is a part of the work, and a regime lasts for longer.
  const std::size_t together = n > kLong ? 4 : 1;
  std::vector<double> logs(sizes.size() / together);
  for (std::size_t i = 0; i < logs.size(); ++i) {
    for (std::size_t j = i * together; j < (i + 1) * together; ++j)
      logs[i] += std::log(std::max(least, sizes[j])) / static_cast<double>(together);
  }
  StretchRules strict = rules.stretches;
  strict.least = std::max<std::size_t>(strict.least, 30) / together;
  strict.look_back = std::max(strict.least, strict.look_back / together);
  strict.penalty *= 1.5;  // logarithms of steps aren't quite normal
  std::vector<Regime> regimes;
  for (const Stretch& stretch : stretches_of(logs, noise_of(logs), strict)) {
    const std::size_t begin = stretch.begin * together, end = stretch.end * together;
    const double spread = spread_of(begin, end);
    const bool is_alike =
        !regimes.empty() && std::max(spread, regimes.back().spread) <
                                2 * std::max(step_of(one.info) / 2, std::min(spread, regimes.back().spread));
    if (is_alike) {
      regimes.back().end = end;
    } else {
      regimes.push_back({regimes.empty() ? 0 : begin + 1, end, spread});
    }
  }
  regimes.back().end = n;
  return regimes;
}

std::vector<double> spreads_in(const SecondSeries& one, const Noise& noise, const std::vector<Regime>& regimes) {
  const double floor = step_of(one.info) / 2;
  if (regimes.size() < 2) {
    const bool is_rough = regimes.front().spread > noise.spread;  // more than a tenth of its seconds are far off
    return is_rough ? std::vector<double>(one.values.size(), regimes.front().spread) : std::vector<double>();
  }
  std::vector<double> spreads;
  for (const Regime& regime : regimes) {
    const std::span<const double> part(one.values.data() + regime.begin, regime.end - regime.begin);
    spreads.insert(spreads.end(), part.size(), std::max({floor, regime.spread, noise_of(part).spread}));
  }
  spreads.resize(one.values.size(), noise.spread);
  return spreads;
}

}  // namespace idlemeter::insight
