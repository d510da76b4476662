// Groups of runs against each other: figures of scipy's, and how often the words are right.
#include "idlemeter/insight/compare.hpp"

#include <gtest/gtest.h>

#include <bit>
#include <cmath>
#include <numeric>
#include <random>

#include "idlemeter/base/error.hpp"
#include "idlemeter/insight/difference.hpp"
#include "idlemeter/insight/figure_set.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/readings/units.hpp"
#include "simulated_runs.hpp"

namespace idlemeter {
namespace {

using Values = std::vector<double>;

/// A run's figure, as the machine has it: a median and a spread from run to run.
class Runs {
 public:
  explicit Runs(unsigned seed) : random_(seed) {}

  Values next(std::size_t count, double middle, double spread) {
    Values values;
    for (std::size_t i = 0; i < count; ++i) values.push_back(middle * std::exp(spread * normal_(random_)));
    return values;
  }

 private:
  std::mt19937_64 random_;
  std::normal_distribution<double> normal_;
};

bool is_told(Verdict verdict) { return verdict == Verdict::higher || verdict == Verdict::lower; }

/// scipy 1.10: t.interval(confidence, n - 1, mean, sem), of the logarithms where all are above 0. Its quantile of an
/// interval other than 95 % has 9 digits.
TEST(GroupInterval, IsWhatScipySays) {
  const struct {
    Values values;
    double low, high, low80, high80;
  } cases[] = {{{91.2, 90.7, 91.9, 92.4, 90.1}, 90.12336271691, 92.40348940819, 90.62892300383, 91.88802996027},
               {{60.1, 59.8}, 58.07386180327, 61.88636140946, 59.48993324916, 60.41324647227},
               {{0, 1, 0, 2}, -0.7734801808291, 2.273480180829, -0.03401042158674, 1.534010421587},
               {{47.4, 52.1, 49.9, 60.3}, 44.28155743534, 61.55935690758, 47.96726670737, 56.82925848611}};
  for (const auto& one : cases) {
    const Scale scale = scale_of({one.values});
    const auto usual = group_interval(one.values, scale), narrow = group_interval(one.values, scale, 0.8);
    ASSERT_TRUE(usual && narrow);
    EXPECT_NEAR(usual->low, one.low, 1e-8);
    EXPECT_NEAR(usual->high, one.high, 1e-8);
    EXPECT_NEAR(narrow->low, one.low80, 2e-8);
    EXPECT_NEAR(narrow->high, one.high80, 2e-8);
  }
  EXPECT_FALSE(group_interval(Values{91.2}, Scale::ratio));
}

/// scipy 1.10: ttest_ind(equal_var=False) and permutation_test(n_resamples=inf) of the logarithms.
TEST(Difference, IsWhatScipySays) {
  const struct {
    Values base, other;
    double value, low, high, welch, permutation;
  } cases[] = {{{91.2, 90.7, 91.9, 92.4, 90.1},
                {124.7, 123.9, 126.2, 125.0, 124.4},
                0.3679890522705,
                0.3504991496954,
                0.3857054612393,
                1.03990548369e-10,
                0.007936507936508},
               {{60.1, 59.8, 60.4},
                {60.9, 60.2, 61.3, 60.5},
                0.01038419331026,
                -0.002256706848118,
                0.02318524724558,
                0.08852760696687,
                NAN},  // 35 ways: twice one of them is over 5 %
               {{101.5, 99.2, 100.7, 98.9, 102.3, 100.1},
                {100.9, 101.8, 99.7, 102.9, 101.1, 100.3},
                0.006656718426693,
                -0.009021858040701,
                0.02258335057729,
                0.367467811142,
                0.3593073593074},
               {{47.4, 52.1, 49.9, 60.3},
                {46.0, 44.7, 45.9, 45.2},
                -0.1295463752707,
                -0.2605124373436,
                0.02461427489413,
                0.07379974908129,
                0.02857142857143}};
  const auto near = [](double a, double b) { return std::abs(a - b) <= 1e-10 * std::max(1.0, std::abs(b)); };
  for (const auto& c : cases) {
    const Difference found = difference_of(c.base, c.other);
    EXPECT_EQ(found.scale, Scale::ratio);
    EXPECT_TRUE(near(found.value, c.value)) << found.value;
    EXPECT_TRUE(near(*found.low, c.low) && near(*found.high, c.high)) << *found.low << ' ' << *found.high;
    EXPECT_NEAR(*found.p_welch / c.welch, 1, 1e-10);
    EXPECT_EQ(found.p_permutation.has_value(), !std::isnan(c.permutation));
    if (found.p_permutation) {
      EXPECT_TRUE(near(*found.p_permutation, c.permutation)) << *found.p_permutation;
    }
  }
}

TEST(Difference, TellsWhatIsThereAndSeesNothingWhereNothingIs) {
  constexpr int kTries = 1'000;
  for (const std::size_t runs : {3u, 5u}) {
    Runs machine(11);
    int alarms = 0, found = 0;
    for (int i = 0; i < kTries; ++i) {
      alarms += is_told(difference_of(machine.next(runs, 100, 0.01), machine.next(runs, 100, 0.01)).verdict) ? 1 : 0;
      found += difference_of(machine.next(runs, 100, 0.01), machine.next(runs, 103, 0.01)).verdict == Verdict::higher;
    }
    EXPECT_LE(alarms, kTries * 6 / 100) << runs;
    if (runs == 5) {
      EXPECT_GT(found, kTries * 9 / 10);
    }
  }
}

TEST(Difference, SaysWhenRunsAreTooFewAndHowManyWouldDo) {
  EXPECT_EQ(difference_of(Values{60}, Values{70, 71}).verdict, Verdict::too_few) << "one run is no spread";
  EXPECT_EQ(difference_of(Values{60}, Values{70}).runs_needed, 3);
  EXPECT_FALSE(difference_of(Values{60}, Values{70}).low);
  const Difference wide = difference_of(Values{60, 66, 63}, Values{62, 68, 61});
  EXPECT_EQ(wide.verdict, Verdict::too_few);
  ASSERT_TRUE(wide.runs_needed);
  EXPECT_GT(*wide.runs_needed, 3);
  Runs machine(5);
  EXPECT_EQ(difference_of(machine.next(5, 100, 0.005), machine.next(5, 100, 0.005)).verdict, Verdict::none_seen);
  int settled = 0;  // with as many runs as it said, of a difference of 2 % among spreads of 2 %
  for (int i = 0; i < 200; ++i) {
    const Difference first = difference_of(machine.next(3, 100, 0.02), machine.next(3, 102, 0.02));
    if (first.verdict != Verdict::too_few || !first.runs_needed) continue;
    const auto more = static_cast<std::size_t>(*first.runs_needed);
    settled += difference_of(machine.next(more, 100, 0.02), machine.next(more, 102, 0.02)).verdict != Verdict::too_few;
  }
  EXPECT_GT(settled, 80);
  EXPECT_EQ(difference_of(Values{60, 60, 60}, Values{60, 60, 60}).verdict, Verdict::none_seen) << "capped";
  EXPECT_EQ(difference_of(Values{60, 60, 60}, Values{30, 30, 30}).verdict, Verdict::lower);
  const Difference stutters = difference_of(Values{0, 1, 0, 2}, Values{9, 8, 10, 9});
  EXPECT_EQ(stutters.scale, Scale::plain);
  EXPECT_DOUBLE_EQ(stutters.value, 8.25);
  EXPECT_EQ(stutters.verdict, Verdict::higher);
  EXPECT_THROW((void)difference_of(Values{}, Values{1}), Error);
  EXPECT_THROW((void)difference_of(Values{NAN}, Values{1}), Error);
  EXPECT_THROW((void)difference_of(Values{1}, Values{1}, {.confidence = 1}), Error);
}

bool any(const std::vector<std::vector<bool>>& odd) {
  return std::any_of(odd.begin(), odd.end(),
                     [](const auto& group) { return std::find(group.begin(), group.end(), true) != group.end(); });
}

/// The percentage of comparisons, five runs against five, that name an odd run; one run is off by so many spreads.
double named(double spreads, double second_spread, unsigned seed) {
  Runs machine(seed);
  constexpr int kTries = 2'000;
  int named = 0;
  for (int i = 0; i < kTries; ++i) {
    std::vector<Values> groups = {machine.next(5, 100, 0.02), machine.next(5, 120, 0.02 * second_spread)};
    groups[0][2] *= std::exp(spreads * 0.02);
    const auto odd = odd_runs(groups);
    named += (spreads > 0 ? bool{odd[0][2]} : any(odd)) ? 1 : 0;
  }
  return 100.0 * named / kTries;
}

TEST(OddRuns, AreNamedByChanceInOneOfTwentyComparisons) {
  EXPECT_LE(named(0, 1, 1), 5);
  EXPECT_LE(named(0, 3, 2), 14) << "docs/statistics.md says so";
  EXPECT_GE(named(5, 1, 3), 57);
  EXPECT_GE(named(8, 1, 4), 95);
}

TEST(OddRuns, AreNamedByChanceInOneOfTenComparisonsWithTheUsualFigures) {
  constexpr int kTries = 200;
  int named = 0;
  for (int i = 1; i <= kTries; ++i) {
    const Comparison found = compare(rig::alike_groups(static_cast<std::uint64_t>(i), 5),
                                     FigureSet({kUsualFigures.begin(), kUsualFigures.end()}), {});
    named += std::any_of(found.figures.begin(), found.figures.end(), [](const ComparedFigure& figure) {
      return !figure.groups[0].odd.empty() || !figure.groups[1].odd.empty();
    });
  }
  EXPECT_LE(named, kTries / 10);
}

TEST(OddRuns, AreNoneAmongEqualValues) {
  EXPECT_FALSE(any(odd_runs({{1, 1, 99}}))) << "three runs are too few";
  EXPECT_FALSE(any(odd_runs({{7, 7, 7, 7}})));
  EXPECT_FALSE(any(odd_runs({{0, 0, 0, 0, 0}, {0, 0, 0, 0, 0}}))) << "no run stutters";
  EXPECT_FALSE(any(odd_runs({{0, 0, 1, 0, 0}, {0, 0, 0, 0, 0}})));
}

/// Of all ways to deal the values into two groups, twice the share of those that lie at least as far apart as these, in
/// the direction in which fewer do.
double naive_permutation(const Values& a, const Values& b) {
  Values all;
  for (const Values& group : {a, b})
    for (const double value : group) all.push_back(std::log(value));
  const double total = std::accumulate(all.begin(), all.end(), 0.0);
  const auto apart = [&](unsigned ones) {
    double sum = 0;
    for (std::size_t i = 0; i < all.size(); ++i) sum += (ones >> i & 1U) != 0 ? all[i] : 0;
    return sum / static_cast<double>(a.size()) - (total - sum) / static_cast<double>(b.size());
  };
  const double seen = apart((1U << a.size()) - 1);
  int ways = 0, as_high = 0, as_low = 0;
  for (unsigned ones = 0; ones < 1U << all.size(); ++ones) {
    if (std::popcount(ones) != static_cast<int>(a.size())) continue;
    ++ways;
    as_high += apart(ones) >= seen - 1e-12 ? 1 : 0;
    as_low += apart(ones) <= seen + 1e-12 ? 1 : 0;
  }
  return std::min(1.0, 2.0 * std::min(as_high, as_low) / ways);
}

TEST(Difference, PermutesAsTheNaiveVersionDoesAlsoWithTies) {
  std::mt19937_64 random(17);
  for (int i = 0; i < 40; ++i) {
    Values groups[2];
    for (Values& group : groups) {
      group.resize(4 + random() % 4);
      for (double& value : group) value = 100 + static_cast<double>(random() % (i % 2 == 0 ? 4 : 1'000));
    }
    const Difference found = difference_of(groups[0], groups[1]);
    ASSERT_TRUE(found.p_permutation);
    EXPECT_NEAR(*found.p_permutation, naive_permutation(groups[0], groups[1]), 1e-12) << i;
    EXPECT_EQ(difference_of(groups[0], groups[1], {.permutations = 100}).p_permutation,
              difference_of(groups[0], groups[1], {.permutations = 100}).p_permutation)
        << "drawn ways are drawn alike";
  }
}

/// A run with an average, a power, a setting and a start's temperature.
RunInsight run_of(std::int64_t id, const std::string& preset, double rate, double watts, double start = 50) {
  RunInsight run;
  run.info.id = id;
  run.info.details.game = "Tidepool Rally";
  run.info.details.settings = {{"Preset", preset}, {"Driver", preset == "High" ? "24.1" : "24.2"}};
  run.info.details.facts = {{"GPU", "Marl G9"}, {"Arguments", std::to_string(id)}};
  run.summary.frames = 1'000;
  run.summary.average_rate = rate;
  ReadingInsight power{{"gpu.power", "GPU power", "GPU", "Marl G9", DeviceKind::graphics, Unit::watt}, {}, {}, {}, {}};
  power.all.mean = watts;
  ReadingInsight temperature{
      {"gpu.temp", "GPU temperature", "GPU", "Marl G9", DeviceKind::graphics, Unit::celsius}, {}, start, {}, {}};
  run.readings = {power, temperature};
  return run;
}

std::vector<RunInsight> ten_runs() {
  std::vector<RunInsight> runs;
  for (int i = 0; i < 5; ++i) runs.push_back(run_of(i + 1, "High", 100 + 0.3 * i, 200));
  for (int i = 0; i < 5; ++i) runs.push_back(run_of(i + 6, "Ultra", 80 + 0.2 * i, 200 + (i == 3 ? 90 : 0.1 * i), 61));
  return runs;
}

TEST(Difference, OfManyRunsIsWhatItIsOfFewer) {
  Runs runs(11);
  const Values a = runs.next(400, 100, 0.02), more = runs.next(400, 100, 0.02);
  const Values b = runs.next(400, 100.15, 0.02), others = runs.next(300, 100.15, 0.02);
  Values many_a = a, many_b = b;
  many_a.insert(many_a.end(), more.begin(), more.end());
  many_b.insert(many_b.end(), others.begin(), others.end());
  for (const auto& [from, to] : {std::pair(a, b), std::pair(many_a, many_b)}) {  // permuted; approximated
    const Difference difference = difference_of(from, to);
    EXPECT_NEAR(*difference.p_permutation, *difference.p_welch, 0.01) << from.size();
  }
  for (const std::size_t size : {499u, 501u}) {  // each run against the others by itself, and by what all have together
    Values group = runs.next(size, 100, 0.02);
    group[7] = 120;
    const auto odd = odd_runs({group, a});
    EXPECT_EQ(std::count(odd[0].begin(), odd[0].end(), true), 1) << size;
    EXPECT_TRUE(odd[0][7]) << size;
    EXPECT_EQ(std::count(odd[1].begin(), odd[1].end(), true), 0) << size;
  }
}

TEST(Compare, GroupsBySettingsAndSaysWhatElseDiffers) {
  const FigureSet figures({"frame.average", "gpu.power", "cpu.power"});
  const auto groups = grouped_by(ten_runs(), {"preset"});
  ASSERT_EQ(groups.size(), 2u);
  EXPECT_EQ(groups[1].name, "Ultra");
  const Comparison found = compare(groups, figures, {.told = {"preset"}});
  const ComparedFigure& average = found.figures[0];
  EXPECT_EQ(average.best, 0u);
  EXPECT_EQ(average.worst, 1u);
  EXPECT_EQ(average.groups[1].difference->verdict, Verdict::lower);
  EXPECT_FALSE(average.groups[0].difference) << "the base";
  EXPECT_NEAR(average.groups[1].difference->value, 80.4 / 100.6 - 1, 1e-4);
  EXPECT_EQ(found.figures[1].groups[1].odd, std::vector<std::int64_t>{9});
  EXPECT_EQ(found.figures[2].groups[0].mean, std::nullopt) << "no run has it";
  ASSERT_EQ(found.others.size(), 2u) << "not what they were grouped by, and not what each run has of its own";
  EXPECT_EQ(found.others[0].what, "Driver");
  EXPECT_EQ(found.others[0].values, (std::vector<std::string>{"24.1", "24.2"}));
  EXPECT_EQ(found.others[1].what, "GPU temperature at the start");
  EXPECT_EQ(found.others[1].values, (std::vector<std::string>{"50 °C", "61 °C"}));
  const ComparedGroup& with_odd = found.figures[1].groups[1];
  ASSERT_TRUE(with_odd.without_odd);
  EXPECT_EQ(with_odd.without_odd->verdict, Verdict::none_seen) << "200 and 200.2 W without the odd run";
  EXPECT_NEAR(with_odd.difference->value, 0.084, 0.01) << "which counts";
  EXPECT_EQ(grouped_by(ten_runs(), {"preset", "GPU"})[0].name, "High, Marl G9");
  EXPECT_THROW((void)grouped_by(ten_runs(), {"shadows"}), Error);
  EXPECT_THROW((void)compare({}, figures), Error);
  EXPECT_THROW((void)compare(groups, figures, {.base = 2}), Error);
}

TEST(Compare, HasOneScaleForAFigureAndSaysWhichRunsAreDoubted) {
  std::vector<RunInsight> runs = ten_runs();
  for (std::size_t i = 0; i < runs.size(); ++i) runs[i].readings[0].all.mean = i < 5 ? 2.0 + static_cast<double>(i) : 0;
  runs[1].doubts = {{DoubtRule::too_short, "only 12 s"}};
  const Comparison found = compare(grouped_by(std::move(runs), {"preset"}), FigureSet({"gpu.power"}));
  const ComparedFigure& power = found.figures[0];
  EXPECT_EQ(power.scale, Scale::plain);
  EXPECT_EQ(power.groups[0].mean, 4) << "arithmetic, though none of its values is 0";
  EXPECT_EQ(power.groups[1].difference->value, -4);
  ASSERT_EQ(found.doubts.size(), 1u);
  EXPECT_EQ(found.doubts[0].runs, std::vector<std::int64_t>{2});
}

TEST(Difference, MattersAsMuchDownAsUp) {
  const auto verdict = [](double factor) {
    return difference_of(Values{100, 100.02, 99.98}, Values{100 * factor, 100.02 * factor, 99.98 * factor}).verdict;
  };
  EXPECT_EQ(verdict(1.0001), Verdict::none_seen);
  EXPECT_EQ(verdict(1.029), Verdict::too_small);
  EXPECT_EQ(verdict(0.971), Verdict::too_small);
  EXPECT_EQ(verdict(1.031), Verdict::higher);
  EXPECT_EQ(verdict(0.969), Verdict::lower);
  EXPECT_EQ(difference_of(Values{0, 0, 0}, Values{0, 0, 0}).verdict, Verdict::none_seen);
}

}  // namespace
}  // namespace idlemeter
