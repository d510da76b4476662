#include "insight/changes/brief_changes.hpp"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <optional>
#include <utility>

#include "frames/median.hpp"
#include "idlemeter/base/time.hpp"
#include "insight/statistics/robust.hpp"
#include "insight/statistics/running_medians.hpp"

namespace idlemeter::insight {
namespace {

constexpr std::size_t kAround = 61, kTogether = 5;  // seconds
constexpr double kFar = 6.2;  // standard deviations of a mean of five seconds: by chance once in 10¹⁰ seconds
constexpr std::size_t kPlaces = 400;    // at which that deviation is measured
constexpr std::size_t kMostAnHour = 5;  // more are how the series is

double median_between(const std::vector<double>& numbers, std::size_t begin, std::size_t end) {
  std::vector<double> part(numbers.begin() + static_cast<std::ptrdiff_t>(begin),
                           numbers.begin() + static_cast<std::ptrdiff_t>(end));
  return frames::median_of(part);
}

/// Of the five numbers around each one, fewer at the ends.
std::vector<double> means_of(const std::vector<double>& numbers) {
  constexpr std::size_t kHalf = kTogether / 2;
  std::vector<double> means;
  means.reserve(numbers.size());
  for (std::size_t i = 0; i < numbers.size(); ++i) {
    const std::size_t begin = i - std::min(i, kHalf), end = std::min(numbers.size(), i + kHalf + 1);
    double sum = 0;
    for (std::size_t j = begin; j < end; ++j) sum += numbers[j];
    means.push_back(sum / static_cast<double>(end - begin));
  }
  return means;
}

/// The standard deviation of the means around their running median, in spreads: at least that of independent numbers.
double deviation_of_means(const std::vector<double>& means, const Noise& noise) {
  std::vector<double> apart;
  for (std::size_t i = 0; i < means.size(); i += 1 + means.size() / kPlaces) {
    const std::size_t begin = i - std::min(i, kAround / 2), end = std::min(means.size(), i + kAround / 2 + 1);
    apart.push_back(std::abs(means[i] - median_between(means, begin, end)));
  }
  return std::max(kToDeviation * frames::median_of(apart) / noise.spread,
                  1 / std::sqrt(static_cast<double>(kTogether)));
}

class Finder {
 public:
  explicit Finder(const Measure& by) : by_(by), values_(by.one.values) {}

  [[nodiscard]] std::vector<BriefChange> find() const {
    const std::vector<double> means = means_of(values_);
    const double far = kFar * deviation_of_means(means, by_.noise);
    const double least =
        by_.spreads.empty() ? by_.noise.spread : *std::min_element(by_.spreads.begin(), by_.spreads.end());
    std::vector<BriefChange> found;
    for (const auto& [second, usual] : far_from_median(means, kAround, far * least)) {
      const bool is_told = !found.empty() && second < found.back().end + kTogether;
      if (is_told || std::abs(means[second] - usual) < far * by_.spread(second)) continue;
      if (const auto one = around(second, usual)) found.push_back(*one);
    }
    const std::size_t most = std::max(kMostAnHour, kMostAnHour * values_.size() / 3'600);
    return found.size() > most ? std::vector<BriefChange>() : found;
  }

 private:
  /// The change near that second, if it has the length of one and the levels around it are alike.
  [[nodiscard]] std::optional<BriefChange> around(std::size_t second, double usual) const {
    const auto [begin, end] = extent(second, usual);
    const std::size_t length = end - begin, n = values_.size();
    const auto time = kSecond * static_cast<std::int64_t>(length);
    const bool is_inside = begin >= length && n - end >= length;  // as many seconds are known on both sides
    if (time <= by_.rules.longest_spike || time > by_.rules.longest_brief || !is_inside) return std::nullopt;
    const double before = median_between(values_, begin - std::min(begin, kAround / 2), begin),
                 after = median_between(values_, end, std::min(n, end + kAround / 2)), level = (before + after) / 2,
                 meanwhile = median_between(values_, begin, end), way = std::abs(meanwhile - level);
    const bool is_small = way < by_.rules.least_spreads * by_.spread(second) || by_.is_small(level, meanwhile);
    if (is_small || std::abs(before - after) > way / 2) return std::nullopt;
    return BriefChange{begin,
                       end,
                       {.info = by_.one.info,
                        .kind = ChangeKind::brief,
                        .at = by_.one.moment(begin),
                        .before = level,
                        .after = meanwhile,
                        .spreads = way / by_.spread(second),
                        .until = by_.one.moment(end - 1) + kSecond}};
  }

  /// The seconds on that side of half the way to the farthest of the five.
  [[nodiscard]] std::pair<std::size_t, std::size_t> extent(std::size_t second, double usual) const {
    std::size_t begin = second - std::min(second, kTogether / 2);
    for (std::size_t i = begin; i <= std::min(values_.size() - 1, second + kTogether / 2); ++i) {
      if (std::abs(values_[i] - usual) > std::abs(values_[begin] - usual)) begin = i;
    }
    const double half = (values_[begin] - usual) / 2;
    const auto is_part = [&](std::size_t i) { return (values_[i] - usual) / half >= 1; };
    std::size_t end = begin + 1;
    while (begin > 0 && is_part(begin - 1)) --begin;
    while (end < values_.size() && is_part(end)) ++end;
    return {begin, end};
  }

  const Measure& by_;
  const std::vector<double>& values_;
};

}  // namespace

std::vector<BriefChange> brief_changes_in(const Measure& by) {
  if (by.one.values.size() < kAround || by.noise.spread <= 0) return {};
  return Finder(by).find();
}

}  // namespace idlemeter::insight
