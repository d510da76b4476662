#include "idlemeter/insight/difference.hpp"

#include <algorithm>
#include <boost/math/distributions/students_t.hpp>
#include <cmath>
#include <numeric>
#include <random>
#include <stdexcept>

#include "base/words.hpp"

namespace idlemeter {
namespace {

using namespace base;

constexpr Word<Verdict> kVerdicts[] = {{"higher", Verdict::higher},
                                       {"lower", Verdict::lower},
                                       {"no difference seen", Verdict::none_seen},
                                       {"too few runs to tell", Verdict::too_few}};

constexpr std::size_t kLeastForOdd = 4;
constexpr double kOdd = 0.025, kWorthNoting = 0.01;
constexpr int kMostRuns = 1'000;

bool all_positive(std::span<const double> values) {
  return std::all_of(values.begin(), values.end(), [](double value) { return value > 0; });
}

std::vector<double> logarithms(std::span<const double> values) {
  std::vector<double> logs(values.begin(), values.end());
  for (double& one : logs) one = std::log(one);
  return logs;
}

double mean(std::span<const double> values) {
  return std::accumulate(values.begin(), values.end(), 0.0) / static_cast<double>(values.size());
}

double squares(std::span<const double> values) {
  const double middle = mean(values);
  double sum = 0;
  for (const double value : values) sum += (value - middle) * (value - middle);
  return sum;
}

double variance(std::span<const double> values) { return squares(values) / static_cast<double>(values.size() - 1); }

double two_sided(double t, double freedom) {
  return 2 * boost::math::cdf(boost::math::complement(boost::math::students_t(freedom), std::abs(t)));
}

double quantile(double freedom, double confidence) {
  return boost::math::quantile(boost::math::students_t(freedom), (1 + confidence) / 2);
}

/// How many ways there are to choose; at most `most` + 1.
double choices(std::size_t n, std::size_t k, double most) {
  double count = 1;
  for (std::size_t i = 1; i <= k && count <= most; ++i)
    count = count * static_cast<double>(n - k + i) / static_cast<double>(i);
  return count;
}

/// Two-sided: twice the smaller share of permutations that are as far out on one side as what was seen, which is one of
/// them.
class Permutations {
 public:
  Permutations(std::span<const double> base, std::span<const double> other)
      : all_(base.begin(), base.end()), other_(other.size()), seen_(mean(other) - mean(base)) {
    all_.insert(all_.end(), other.begin(), other.end());
    sum_ = std::accumulate(all_.begin(), all_.end(), 0.0);
    const double scale = std::max({std::abs(seen_), std::abs(sum_), 1e-300});
    slack_ = 1e-12 * scale;  // sums in another order differ in their last digits
  }

  double exact() {
    std::vector<bool> chosen(all_.size());
    std::fill(chosen.end() - static_cast<std::ptrdiff_t>(other_), chosen.end(), true);
    do {
      double sum = 0;
      for (std::size_t i = 0; i < all_.size(); ++i) sum += chosen[i] ? all_[i] : 0;
      count(sum);
    } while (std::next_permutation(chosen.begin(), chosen.end()));
    return share();
  }

  double random(int times, std::uint64_t seed) {
    std::mt19937_64 generator(seed);
    count(std::accumulate(all_.end() - static_cast<std::ptrdiff_t>(other_), all_.end(), 0.0));
    for (int i = 1; i < times; ++i) {
      std::shuffle(all_.begin(), all_.end(), generator);
      count(std::accumulate(all_.begin(), all_.begin() + static_cast<std::ptrdiff_t>(other_), 0.0));
    }
    return share();
  }

 private:
  void count(double sum_of_other) {
    const auto n = static_cast<double>(other_), m = static_cast<double>(all_.size() - other_);
    const double difference = sum_of_other / n - (sum_ - sum_of_other) / m;
    at_least_ += difference >= seen_ - slack_ ? 1 : 0;
    at_most_ += difference <= seen_ + slack_ ? 1 : 0;
    ++tried_;
  }

  [[nodiscard]] double share() const { return std::min(1.0, 2 * std::min(at_least_, at_most_) / tried_); }

  std::vector<double> all_;
  std::size_t other_;
  double seen_, sum_ = 0, slack_ = 0;
  double at_least_ = 0, at_most_ = 0, tried_ = 0;
};

std::optional<double> permutation_test(std::span<const double> base, std::span<const double> other,
                                       const DifferenceRules& rules) {
  const double most = rules.permutations, count = choices(base.size() + other.size(), other.size(), most);
  if (count < 40) return std::nullopt;  // twice one of them is over 5 %
  Permutations permutations(base, other);
  return count <= most ? permutations.exact() : permutations.random(rules.permutations, rules.seed);
}

/// The fewest runs in each group with which the interval would reach no farther than `reach` either way.
std::optional<int> runs_for(double reach, double spread, double confidence) {
  for (int n = 2; n <= kMostRuns; ++n) {
    if (quantile(2.0 * n - 2, confidence) * spread * std::sqrt(2.0 / n) <= reach) return n;
  }
  return std::nullopt;
}

void check(std::span<const double> values) {
  const bool right =
      !values.empty() && std::all_of(values.begin(), values.end(), [](double value) { return std::isfinite(value); });
  if (!right) throw std::invalid_argument("a group of runs has at least one value, and all are finite");
}

}  // namespace

std::string_view name_of(Verdict verdict) { return word_of(verdict, kVerdicts); }

double group_mean(std::span<const double> values) {
  check(values);
  return all_positive(values) ? std::exp(mean(logarithms(values))) : mean(values);
}

std::optional<MeanInterval> group_interval(std::span<const double> values, double confidence) {
  check(values);
  if (values.size() < 2) return std::nullopt;
  const bool on_logs = all_positive(values);
  const std::vector<double> scaled = on_logs ? logarithms(values) : std::vector<double>(values.begin(), values.end());
  const auto n = static_cast<double>(values.size());
  const double middle = mean(scaled), reach = quantile(n - 1, confidence) * std::sqrt(variance(scaled) / n);
  const auto shown = [&](double value) { return on_logs ? std::exp(value) : value; };
  return MeanInterval{shown(middle - reach), shown(middle + reach)};
}

std::optional<double> group_spread(std::span<const double> values) {
  check(values);
  if (values.size() < 2) return std::nullopt;
  return std::sqrt(all_positive(values) ? variance(logarithms(values)) : variance(values));
}

Difference difference_of(std::span<const double> base, std::span<const double> other, const DifferenceRules& rules) {
  check(base);
  check(other);
  if (!(rules.confidence > 0 && rules.confidence < 1) || !(rules.matters > 0) || rules.permutations < 100)
    throw std::invalid_argument("a confidence is between 0 and 1, what matters above 0, permutations at least 100");
  Difference result;
  result.is_ratio = all_positive(base) && all_positive(other);
  const auto scaled = [&](std::span<const double> values) {
    return result.is_ratio ? logarithms(values) : std::vector<double>(values.begin(), values.end());
  };
  const std::vector<double> from = scaled(base), to = scaled(other);
  const double seen = mean(to) - mean(from);
  const auto shown = [&](double difference) { return result.is_ratio ? std::expm1(difference) : difference; };
  result.value = shown(seen);
  if (from.size() < 2 || to.size() < 2) {
    result.runs_needed = 3;
    return result;
  }
  const double a = variance(from) / static_cast<double>(from.size()), b = variance(to) / static_cast<double>(to.size());
  result.p_permutation = permutation_test(from, to, rules);
  const double error = std::sqrt(a + b);
  // What matters is a share of the base, or of its size if values are 0 or less.
  const double matters = result.is_ratio ? std::log1p(rules.matters) : rules.matters * std::abs(mean(from));
  double reach = 0;
  if (error > 0) {
    const double freedom =
        (a + b) * (a + b) / (a * a / static_cast<double>(from.size() - 1) + b * b / static_cast<double>(to.size() - 1));
    reach = quantile(freedom, rules.confidence) * error;
    result.p_welch = two_sided(seen / error, freedom);
  } else {
    result.p_welch = seen == 0 ? 1 : 0;  // values that never vary, as a cap's
  }
  result.low = shown(seen - reach);
  result.high = shown(seen + reach);
  if (*result.p_welch < 1 - rules.confidence) {
    result.verdict = seen > 0 ? Verdict::higher : Verdict::lower;
    return result;
  }
  if (std::abs(seen) + reach <= matters) {
    result.verdict = Verdict::none_seen;
    return result;
  }
  const double spread = std::sqrt((squares(from) + squares(to)) / static_cast<double>(from.size() + to.size() - 2));
  // Narrow enough to show what was seen, or to rule out what matters.
  const double wanted = std::max(std::abs(seen), std::max(matters - std::abs(seen), matters / 2));
  result.runs_needed = runs_for(wanted, spread, rules.confidence);
  return result;
}

std::vector<std::vector<bool>> odd_runs(const std::vector<std::vector<double>>& groups) {
  std::vector<std::vector<double>> logs;
  bool positive = true;
  for (const auto& group : groups) {
    check(group);
    positive = positive && all_positive(group);
  }
  for (const auto& group : groups) logs.push_back(positive ? logarithms(group) : group);
  double pooled = 0;
  std::size_t runs = 0;
  for (const auto& group : logs) {
    pooled += squares(group);
    runs += group.size();
  }
  std::vector<std::vector<bool>> odd;
  for (const auto& group : logs) {
    auto& flags = odd.emplace_back(group.size(), false);
    const double freedom = static_cast<double>(runs) - static_cast<double>(logs.size()) - 1;
    if (group.size() < kLeastForOdd || freedom < 1) continue;
    const double middle = mean(group), share = 1 - 1 / static_cast<double>(group.size());
    for (std::size_t i = 0; i < group.size(); ++i) {
      const double residual = group[i] - middle;
      const double without = (pooled - residual * residual / share) / freedom;  // the variance without this run
      if (std::abs(residual) < kWorthNoting * (positive ? 1 : std::abs(middle))) continue;
      flags[i] = without <= 0 || two_sided(residual / std::sqrt(without * share), freedom) < kOdd;
    }
  }
  return odd;
}

}  // namespace idlemeter
