#include "idlemeter/insight/difference.hpp"

#include <algorithm>
#include <boost/math/distributions/fisher_f.hpp>
#include <boost/math/distributions/students_t.hpp>
#include <cmath>
#include <numeric>
#include <random>
#include <stdexcept>

#include "base/enum_names.hpp"
#include "idlemeter/base/error.hpp"

namespace idlemeter {
namespace {

using namespace base;

constexpr Word<Verdict> kVerdicts[] = {{"higher", Verdict::higher},
                                       {"lower", Verdict::lower},
                                       {"no difference seen", Verdict::none_seen},
                                       {"too small to matter", Verdict::too_small},
                                       {"too few runs to tell", Verdict::too_few}};

constexpr std::size_t kLeastForOdd = 4;
constexpr double kWorthNoting = 0.01;
// The greater of two spreads makes fewer runs odd than a test at that level would: 5 % name one, not 6.5.
constexpr double kOddLevel = 0.065 / kOddByChance, kOtherSpread = 0.02;
constexpr int kMostRuns = 1'000;

bool all_positive(std::span<const double> values) {
  return std::all_of(values.begin(), values.end(), [](double value) { return value > 0; });
}

std::vector<double> on_scale(std::span<const double> values, Scale scale) {
  std::vector<double> scaled(values.begin(), values.end());
  if (scale == Scale::plain) return scaled;
  for (double& one : scaled) one = std::log(one);
  return scaled;
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

  /// By the normal distribution that the sums approach (Hoeffding 1951, "A combinatorial central limit theorem").
  [[nodiscard]] double approximate() const {
    const auto n = static_cast<double>(all_.size()), k = static_cast<double>(other_);
    const double variance_of_sum = k * (n - k) / n * variance(all_);
    const double sum = std::accumulate(all_.end() - static_cast<std::ptrdiff_t>(other_), all_.end(), 0.0);
    if (variance_of_sum <= 0) return 1;
    return std::erfc(std::abs(sum - k * sum_ / n) / std::sqrt(2 * variance_of_sum));
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
  constexpr std::size_t kManyRuns = 1'000;
  if (base.size() + other.size() > kManyRuns && std::min(base.size(), other.size()) >= kManyRuns / 10)
    return permutations.approximate();
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
  if (!right) throw Error(Error::Code::misuse, "a group of runs has at least one value, and all are finite");
}

/// Welch's interval reaches so far to both sides of the difference.
struct Reach {
  double reach = 0;
  double p = 1;  ///< two-sided
};

Reach reach_of(std::span<const double> from, std::span<const double> to, double confidence) {
  const double a = variance(from) / static_cast<double>(from.size()), b = variance(to) / static_cast<double>(to.size());
  const double error = std::sqrt(a + b), seen = mean(to) - mean(from);
  if (error <= 0) return {0, seen == 0 ? 1.0 : 0.0};  // values that never vary, as a cap's
  const double freedom =
      (a + b) * (a + b) / (a * a / static_cast<double>(from.size() - 1) + b * b / static_cast<double>(to.size() - 1));
  return {quantile(freedom, confidence) * error, two_sided(seen / error, freedom)};
}

/// A run that may be odd, and how likely an ordinary one is that far off.
struct Suspect {
  std::size_t group = 0, run = 0;
  double chance = 1;
};

/// Squared distances from a mean, and their degrees of freedom.
struct Squares {
  double sum = 0, freedom = 0;
  [[nodiscard]] double variance() const { return freedom > 0 ? sum / freedom : 0; }
};

Squares squares_of(std::span<const double> values) { return {squares(values), static_cast<double>(values.size()) - 1}; }

/// The other runs of a run's group, in a few numbers.
struct Rest {
  double mean = 0;
  Squares squares;
};

Rest without(const std::vector<double>& values, std::size_t run) {
  std::vector<double> rest = values;
  rest.erase(rest.begin() + static_cast<std::ptrdiff_t>(run));
  return {mean(rest), squares_of(rest)};
}

/// The same out of the whole group's, for large groups, in which one value takes next to nothing of the digits.
Rest without(const Rest& whole, double value) {
  const double rest = whole.squares.freedom, apart = value - whole.mean;
  return {whole.mean - apart / rest,
          {std::max(0.0, whole.squares.sum - apart * apart * (rest + 1) / rest), whole.squares.freedom - 1}};
}

/// How likely an ordinary run is as far from the others of its group. `others`: of all other groups.
double chance_of(double apart, const Rest& rest, const Squares& others) {
  const double share = 1 / (rest.squares.freedom + 1);
  const Squares& own = rest.squares;
  const Squares all{own.sum + others.sum, own.freedom + others.freedom};
  if (all.sum <= 0) return 1;
  const auto chance = [&](double variance, double freedom) {
    return two_sided(apart / std::sqrt(variance * (1 + share)), freedom);
  };
  if (others.sum > 0) {
    const boost::math::fisher_f f(own.freedom, others.freedom);
    const double ratio = own.variance() / others.variance();
    if (boost::math::cdf(boost::math::complement(f, ratio)) < kOtherSpread) return chance(own.variance(), own.freedom);
  }
  return chance(std::max(all.variance(), own.variance()), all.freedom);
}

/// Of each run of a group.
std::vector<double> chances_of(const std::vector<double>& group, const Squares& others, Scale scale) {
  constexpr std::size_t kLarge = 500;
  const Rest whole{mean(group), squares_of(group)};
  const double worth_noting = kWorthNoting * (scale == Scale::ratio ? 1 : std::abs(whole.mean));
  const double share = 1 / static_cast<double>(group.size() - 1);
  std::vector<double> chances;
  for (std::size_t i = 0; i < group.size(); ++i) {
    const Rest rest = group.size() < kLarge ? without(group, i) : without(whole, group[i]);
    const double apart = group[i] - rest.mean;
    chances.push_back(std::abs(apart) / (1 + share) < worth_noting ? 1 : chance_of(apart, rest, others));
  }
  return chances;
}

}  // namespace

std::string_view name_of(Verdict verdict) { return word_of(verdict, kVerdicts); }

Scale scale_of(const std::vector<std::vector<double>>& groups) {
  const bool positive = std::all_of(groups.begin(), groups.end(), [](const auto& one) { return all_positive(one); });
  return positive ? Scale::ratio : Scale::plain;
}

double group_mean(std::span<const double> values, Scale scale) {
  check(values);
  const double middle = mean(on_scale(values, scale));
  return scale == Scale::ratio ? std::exp(middle) : middle;
}

std::optional<MeanInterval> group_interval(std::span<const double> values, Scale scale, double confidence) {
  check(values);
  if (values.size() < 2) return std::nullopt;
  const std::vector<double> scaled = on_scale(values, scale);
  const auto n = static_cast<double>(values.size());
  const double middle = mean(scaled), reach = quantile(n - 1, confidence) * std::sqrt(variance(scaled) / n);
  const auto shown = [&](double value) { return scale == Scale::ratio ? std::exp(value) : value; };
  return MeanInterval{shown(middle - reach), shown(middle + reach)};
}

std::optional<double> group_spread(std::span<const double> values, Scale scale) {
  check(values);
  if (values.size() < 2) return std::nullopt;
  return std::sqrt(variance(on_scale(values, scale)));
}

namespace {

void check(const DifferenceRules& rules) {
  if (!(rules.confidence > 0 && rules.confidence < 1) || !(rules.matters > 0) || rules.permutations < 100)
    throw Error(Error::Code::misuse,
                "a confidence is between 0 and 1, what matters above 0, permutations at least 100");
}

/// Of two groups with one spread between them.
double pooled_spread(const std::vector<double>& a, const std::vector<double>& b) {
  return std::sqrt((squares(a) + squares(b)) / static_cast<double>(a.size() + b.size() - 2));
}

}  // namespace

Difference difference_of(std::span<const double> base, std::span<const double> other, const DifferenceRules& rules) {
  return difference_of(base, other, all_positive(base) && all_positive(other) ? Scale::ratio : Scale::plain, rules);
}

Difference difference_of(std::span<const double> base, std::span<const double> other, Scale scale,
                         const DifferenceRules& rules) {
  check(base);
  check(other);
  check(rules);
  const std::vector<double> from = on_scale(base, scale), to = on_scale(other, scale);
  const double seen = mean(to) - mean(from);
  const auto shown = [&](double difference) { return scale == Scale::ratio ? std::expm1(difference) : difference; };
  Difference result{.scale = scale, .value = shown(seen)};
  if (from.size() < 2 || to.size() < 2) {
    result.runs_needed = 3;
    return result;
  }
  result.p_permutation = permutation_test(from, to, rules);
  const Reach reach = reach_of(from, to, rules.confidence);
  result.p_welch = reach.p;
  result.low = shown(seen - reach.reach);
  result.high = shown(seen + reach.reach);
  const bool is_different = reach.p < 1 - rules.confidence;
  const double matters = scale == Scale::ratio ? rules.matters : rules.matters * std::abs(mean(from));
  if (*result.low >= -matters && *result.high <= matters) {
    result.verdict = is_different ? Verdict::too_small : Verdict::none_seen;
  } else if (is_different) {
    result.verdict = seen > 0 ? Verdict::higher : Verdict::lower;
  } else {
    const double least = scale == Scale::ratio ? std::log1p(rules.matters) : matters;
    // Narrow enough to show what was seen, or to rule out what matters.
    const double wanted = std::max(std::abs(seen), std::max(least - std::abs(seen), least / 2));
    result.runs_needed = runs_for(wanted, pooled_spread(from, to), rules.confidence);
  }
  return result;
}

namespace {

Squares squares_of_others(const std::vector<std::vector<double>>& groups, std::size_t but) {
  Squares others;
  for (std::size_t g = 0; g < groups.size(); ++g) {
    if (g == but) continue;
    others.sum += squares(groups[g]);
    others.freedom += static_cast<double>(groups[g].size()) - 1;
  }
  return others;
}

}  // namespace

std::vector<std::vector<bool>> odd_runs(const std::vector<std::vector<double>>& groups, double by_chance) {
  std::vector<std::vector<double>> scaled;
  const Scale scale = scale_of(groups);
  for (const auto& group : groups) {
    check(group);
    scaled.push_back(on_scale(group, scale));
  }
  std::vector<Suspect> suspects;
  std::vector<std::vector<bool>> odd;
  for (std::size_t g = 0; g < scaled.size(); ++g) {
    odd.emplace_back(scaled[g].size(), false);
    if (scaled[g].size() < kLeastForOdd) continue;
    const std::vector<double> chances = chances_of(scaled[g], squares_of_others(scaled, g), scale);
    for (std::size_t i = 0; i < chances.size(); ++i) suspects.push_back({g, i, chances[i]});
  }
  std::sort(suspects.begin(), suspects.end(), [](const Suspect& a, const Suspect& b) { return a.chance < b.chance; });
  const double level = by_chance * kOddLevel;
  for (std::size_t i = 0; i < suspects.size(); ++i) {
    if (suspects[i].chance * static_cast<double>(suspects.size() - i) >= level) break;
    odd[suspects[i].group][suspects[i].run] = true;
  }
  return odd;
}

}  // namespace idlemeter
