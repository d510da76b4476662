// usage: interval_coverage [RUNS]: simulates so many runs (1,000) of correlated frames and prints how many of their 95
// % intervals hold the true figure, which is known for a log-normal process.
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <random>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/insight/interval.hpp"

namespace {

using namespace idlemeter;

constexpr double kMu = 16.0, kSigma = 0.25;  // of the logarithm, in nanoseconds: a median of 8.9 ms
constexpr std::size_t kFrames = 7'200;       // a minute at 120 FPS

/// Frames whose logarithm is a stationary AR(1) process.
std::vector<Nanoseconds> simulate(double correlation, unsigned seed) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal(0, 1);
  std::vector<Nanoseconds> frames(kFrames);
  double z = normal(random);
  for (Nanoseconds& frame : frames) {
    frame = Nanoseconds(std::llround(std::exp(kMu + kSigma * z)));
    z = correlation * z + std::sqrt(1 - correlation * correlation) * normal(random);
  }
  return frames;
}

double above(double z) { return 0.5 * std::erfc(z / std::sqrt(2.0)); }

/// Mean of the slowest share of a log-normal distribution, whose z-value from there on is given.
double mean_beyond(double z, double share) { return std::exp(kMu + kSigma * kSigma / 2) * above(z - kSigma) / share; }

struct Case {
  const char* name;
  Figure figure;
  double truth;
};

constexpr double kZ95 = 1.6448536269514722, kZ99 = 2.3263478740408408;

const Case kCases[] = {
    {"average", {}, std::exp(kMu + kSigma * kSigma / 2)},
    {"median", {.kind = Figure::Kind::percentile}, std::exp(kMu)},
    {"P95", {.kind = Figure::Kind::percentile, .q = 0.95}, std::exp(kMu + kSigma * kZ95)},
    {"P99", {.kind = Figure::Kind::percentile, .q = 0.99}, std::exp(kMu + kSigma * kZ99)},
    {"1% low, mean of the slowest", {.kind = Figure::Kind::low, .share = Share{10'000}}, mean_beyond(kZ99, 0.01)},
    {"1% low, percentile",
     {.kind = Figure::Kind::low, .share = Share{10'000}, .definition = LowDefinition::percentile},
     std::exp(kMu + kSigma * kZ99)}};

}  // namespace

int main(int argc, char** argv) {
  const unsigned runs = argc > 1 ? static_cast<unsigned>(std::atoi(argv[1])) : 1'000;
  for (const double correlation : {0.0, 0.5, 0.8}) {
    std::printf("correlation of neighbours %.1f, %u runs of %zu frames\n", correlation, runs, kFrames);
    for (const Case& one : kCases) {
      unsigned hits = 0, given = 0;
      double blocks = 0;
      for (unsigned run = 0; run < runs; ++run) {
        const auto result =
            interval_of(simulate(correlation, run + 1), one.figure, {.resamples = 500, .seed = run + 1});
        if (!result.interval) continue;
        ++given;
        blocks += result.interval->block;
        hits += result.interval->low <= one.truth && one.truth <= result.interval->high ? 1 : 0;
      }
      std::printf("  %-28s %5.1f %% of %u, blocks of %.0f frames\n", one.name, given > 0 ? 100.0 * hits / given : 0.0,
                  given, given > 0 ? blocks / given : 0.0);
    }
  }
  return 0;
}
