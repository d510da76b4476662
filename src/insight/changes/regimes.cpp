#include "insight/changes/regimes.hpp"

#include <algorithm>
#include <cmath>
#include <span>

#include "idlemeter/readings/units.hpp"

namespace idlemeter::insight {
namespace {

constexpr std::size_t kLong = 43'200;                                    // seconds
constexpr double kMedianOfNormal = 0.6745, kNinetiethOfNormal = 1.6449;  // of |x| in its standard deviations
constexpr std::size_t kStepsEnough = 5'000;                              // for a quantile
constexpr double kSmallStep = 0.25;                                      // of the usual one
constexpr double kStricter = 1.5;  // the penalty: logarithms of steps aren't quite normal
constexpr std::size_t kLeastRegime = 30;

/// The sizes of a series' steps from second to second.
class Steps {
 public:
  explicit Steps(const std::vector<double>& values) {
    sizes_.reserve(values.size());
    for (std::size_t i = 1; i < values.size(); ++i) sizes_.push_back(std::abs(values[i] - values[i - 1]));
  }

  /// Of a stretch, by some thousand of its steps.
  [[nodiscard]] double quantile(std::size_t begin, std::size_t end, double share) const {
    std::vector<double> part;
    for (std::size_t i = begin; i < end; i += 1 + (end - begin) / kStepsEnough) part.push_back(sizes_[i]);
    if (part.empty()) return 0.0;
    const auto at = part.begin() + static_cast<std::ptrdiff_t>(share * static_cast<double>(part.size() - 1));
    std::nth_element(part.begin(), at, part.end());
    return *at;
  }

  /// The larger of two robust estimates: seconds with stutters are less than half of all, but more than a tenth.
  [[nodiscard]] double spread(std::size_t begin, std::size_t end) const {
    const double spread_of_steps =
        std::max(quantile(begin, end, 0.5) / kMedianOfNormal, quantile(begin, end, 0.9) / kNinetiethOfNormal);
    return spread_of_steps / std::sqrt(2.0);  // a step is the difference of two values
  }

  /// Their logarithms, so many steps together; smaller ones count as `least`.
  [[nodiscard]] std::vector<double> logarithms(std::size_t together, double least) const {
    std::vector<double> logs(sizes_.size() / together);
    for (std::size_t i = 0; i < logs.size(); ++i) {
      for (std::size_t j = i * together; j < (i + 1) * together; ++j)
        logs[i] += std::log(std::max(least, sizes_[j])) / static_cast<double>(together);
    }
    return logs;
  }

 private:
  std::vector<double> sizes_;
};

/// For the logarithms of steps, so many together.
StretchRules stricter(StretchRules rules, std::size_t together) {
  rules.least = std::max<std::size_t>(rules.least, kLeastRegime) / together;
  rules.look_back = std::max(rules.least, rules.look_back / together);
  rules.penalty *= kStricter;
  return rules;
}

}  // namespace

double step_of(const ReadingInfo& info) { return std::pow(10, -digits_of(info)); }

std::vector<Regime> regimes_of(const SecondSeries& one, const ChangeRules& rules) {
  const std::size_t n = one.values.size();
  const Steps steps(one.values);
  if (n < 3 * kLeastSeconds) return {{0, n, steps.spread(0, n - 1)}};
  // Steps much smaller than usual say nothing: their logarithms would be outliers.
  const double least = std::max(step_of(one.info) / 4, kSmallStep * steps.quantile(0, n - 1, 0.5));
  // Of a day, some steps together: that is a part of the work, and a regime lasts for longer.
  const std::size_t together = n > kLong ? 4 : 1;
  const std::vector<double> logs = steps.logarithms(together, least);
  std::vector<Regime> regimes;
  for (const Stretch& stretch : stretches_of(logs, noise_of(logs), stricter(rules.stretches, together))) {
    const std::size_t begin = stretch.begin * together, end = stretch.end * together;
    const double spread = steps.spread(begin, end);
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
