// usage: compare_groups [TIMES]: simulates so many comparisons (10,000) of two groups of runs from one machine, whose
// runs spread by 2 %, and prints how often a difference or an odd run is named that isn't there, and how often one that
// is.
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstdlib>
#include <random>
#include <vector>

#include "idlemeter/insight/compare.hpp"
#include "idlemeter/insight/difference.hpp"
#include "simulated_runs.hpp"

namespace {

using namespace idlemeter;

struct Case {
  std::size_t runs = 5;
  double higher = 0;         ///< the second group, as a share
  double second_spread = 1;  ///< of the first's
  double odd = 0;            ///< a run of the first group is off by so many spreads
};

std::vector<double> group(std::mt19937_64& random, std::size_t runs, double mean, double spread) {
  std::normal_distribution<double> normal(0, spread);
  std::vector<double> values(runs);
  for (double& one : values) one = mean * std::exp(normal(random));
  return values;
}

bool names_an_odd_run(const ComparedFigure& figure) {
  return std::any_of(figure.groups.begin(), figure.groups.end(), [](const auto& group) { return !group.odd.empty(); });
}

void print(const Case& one, int times) {
  constexpr double kSpread = 0.02;
  std::mt19937_64 random(1);
  int different = 0, named = 0, found = 0;
  for (int i = 0; i < times; ++i) {
    std::vector<std::vector<double>> groups = {
        group(random, one.runs, 100, kSpread),
        group(random, one.runs, 100 * (1 + one.higher), kSpread * one.second_spread)};
    groups[0][0] *= std::exp(one.odd * kSpread);
    const Verdict verdict = difference_of(groups[0], groups[1], {.permutations = 100}).verdict;
    different += verdict == Verdict::higher || verdict == Verdict::lower ? 1 : 0;
    const auto odd = odd_runs(groups);
    found += odd[0][0] ? 1 : 0;
    bool any = false;
    for (const auto& flags : odd) any = any || std::find(flags.begin(), flags.end(), true) != flags.end();
    named += any ? 1 : 0;
  }
  const auto percent = [&](int count) { return 100.0 * count / times; };
  fmt::print("| {} against {} | {:.0f} % | {:g} to 1 | {:g} spreads | {:.1f} % | {:.1f} % | {:.1f} % |\n", one.runs,
             one.runs, 100 * one.higher, one.second_spread, one.odd, percent(different), percent(named),
             percent(found));
}

/// With the usual figures, which are of the same frames.
void print_usual_figures(int times) {
  const FigureSet figures({kUsualFigures.begin(), kUsualFigures.end()});
  int named = 0;
  for (int i = 1; i <= times; ++i) {
    const Comparison found =
        compare(rig::alike_groups(static_cast<std::uint64_t>(i), 5), figures, {.rules = {.permutations = 100}});
    named += std::any_of(found.figures.begin(), found.figures.end(), &names_an_odd_run) ? 1 : 0;
  }
  fmt::print(
      "{} comparisons of simulated frames, 5 against 5, with the usual figures: any run called odd in {:.1f} %\n",
      times, 100.0 * named / times);
}

}  // namespace

int main(int argc, char** argv) {
  const int times = argc > 1 ? std::atoi(argv[1]) : 10'000;
  fmt::print(
      "{} comparisons each\n| runs | true difference | spreads | one run is off by | called different | any run called "
      "odd | that "
      "run called odd |\n",
      times);
  for (const std::size_t runs : {3u, 5u, 10u}) print({.runs = runs}, times);
  for (const double ratio : {3.0, 10.0}) print({.second_spread = ratio}, times);
  for (const double off : {3.0, 5.0, 8.0}) print({.odd = off}, times);
  print({.runs = 10, .odd = 5}, times);
  for (const std::size_t runs : {3u, 5u, 10u}) print({.runs = runs, .higher = 0.05}, times);
  print_usual_figures(times / 5);
  return 0;
}
