#include "simulated_runs.hpp"

#include <fmt/format.h>

#include <cmath>
#include <random>

#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/frames/stutter.hpp"
#include "machine.hpp"
#include "tidepool_rally.hpp"

namespace idlemeter::rig {
namespace {

using Random = std::mt19937_64;
using Factors = std::vector<double>;  ///< of 8.3 ms

double normal(Random& random) { return std::normal_distribution<double>(0, 1)(random); }
double uniform(Random& random) { return std::uniform_real_distribution<double>(0, 1)(random); }

/// Log-normal factors whose logarithms are a stationary AR(1) process.
Factors correlated(Random& random, std::size_t n, double correlation, double spread) {
  Factors factors(n);
  double z = normal(random);
  for (double& one : factors) {
    one = std::exp(spread * z);
    z = correlation * z + std::sqrt(1 - correlation * correlation) * normal(random);
  }
  return factors;
}

Factors spikes(Random& random, std::size_t n) {
  Factors factors = correlated(random, n, 0.3, 0.08);
  for (double& one : factors) one *= uniform(random) < 0.005 ? 2 + 4 * uniform(random) : 1;
  return factors;
}

/// A tenth longer at the end than at the beginning.
Factors drift(Random& random, std::size_t n) {
  Factors factors = correlated(random, n, 0.3, 0.1);
  for (std::size_t i = 0; i < n; ++i) factors[i] *= std::exp(0.1 * static_cast<double>(i) / static_cast<double>(n));
  return factors;
}

/// Two levels, each for so many seconds in the mean.
Factors switching(Random& random, std::size_t n, double seconds) {
  Factors factors = correlated(random, n, 0.5, 0.1);
  std::exponential_distribution<double> lasts(1 / (seconds * kSimulatedRate));
  bool is_slow = uniform(random) < 0.5;
  double left = lasts(random);
  for (double& one : factors) {
    for (; left <= 0; left += lasts(random)) is_slow = !is_slow;
    left -= 1;
    one *= is_slow ? 1.5 : 1;
  }
  return factors;
}

/// A level that is an Ornstein-Uhlenbeck process with that time constant.
Factors wander(Random& random, std::size_t n, double seconds) {
  Factors factors = correlated(random, n, 0.3, 0.12);
  const Factors level = correlated(random, n, std::exp(-1 / (seconds * kSimulatedRate)), 0.15);
  for (std::size_t i = 0; i < n; ++i) factors[i] *= level[i];
  return factors;
}

std::vector<Nanoseconds> rally(std::size_t n, std::uint64_t seed) {
  Machine machine;
  TidepoolRally game(machine, {.seed = seed});
  const Moment begin{from_seconds(180 + static_cast<double>(seed * 7 % 60))};
  while (game.now() < begin) (void)game.next_frame();
  std::vector<Nanoseconds> frames(n);
  for (Nanoseconds& one : frames) one = game.next_frame().interval;
  return frames;
}

RunKind kind(std::string name, std::function<Factors(Random&, std::size_t)> factors, bool is_steady = false) {
  const auto play = [factors = std::move(factors)](std::size_t n, std::uint64_t seed) {
    Random random(seed);
    std::vector<Nanoseconds> frames;
    for (const double one : factors(random, n)) frames.push_back(from_seconds(one / kSimulatedRate));
    return frames;
  };
  return {std::move(name), play, is_steady};
}

/// As a frame time in nanoseconds.
double true_figure(const Summary& summary, const Figure& figure) {
  if (figure.kind == Figure::Kind::average) return 1e9 / *summary.average_rate;
  if (figure.kind == Figure::Kind::low) return summary.low(figure.share, figure.definition)->frame_time;
  for (const auto& one : summary.percentiles) {
    if (one.q == figure.q) return one.frame_time;
  }
  return *summary.median;
}

SummaryRequest request_for(const std::vector<Figure>& figures) {
  SummaryRequest request{{}, {std::begin(kLowDefinitions), std::end(kLowDefinitions)}, {}};
  for (const Figure& one : figures) {
    if (one.kind == Figure::Kind::low) request.lows.push_back(one.share);
    if (one.kind == Figure::Kind::percentile) request.percentiles.push_back(one.q);
  }
  return request;
}

}  // namespace

std::vector<RunKind> run_kinds() {
  std::vector<RunKind> kinds;
  for (const double r : {0.0, 0.5, 0.8, 0.9}) {
    kinds.push_back(kind(
        r == 0 ? "independent" : fmt::format("correlation {}", r),
        [r](Random& random, std::size_t n) { return correlated(random, n, r, 0.25); }, true));
  }
  kinds.push_back(kind("rare spikes", &spikes, true));
  kinds.push_back(kind("drift of 10 %", &drift));
  for (const double s : {0.5, 1.0, 2.0, 5.0, 10.0}) {
    kinds.push_back(kind(fmt::format("two levels, {} s each", s),
                         [s](Random& random, std::size_t n) { return switching(random, n, s); }));
  }
  for (const double s : {1.0, 2.0, 5.0, 10.0, 20.0}) {
    kinds.push_back(
        kind(fmt::format("wander over {} s", s), [s](Random& random, std::size_t n) { return wander(random, n, s); }));
  }
  kinds.push_back({"Tidepool Rally", &rally});
  return kinds;
}

std::vector<Coverage> coverage_of(const RunKind& kind, const std::vector<Figure>& figures, std::size_t frames,
                                  unsigned runs, std::size_t long_run) {
  const Summary whole = summarize(kind.play(long_run, 0), request_for(figures));
  std::vector<Coverage> all(figures.size(), Coverage{.runs = runs});
  for (unsigned run = 1; run <= runs; ++run) {
    const std::vector<Nanoseconds> intervals = kind.play(frames, run);
    for (std::size_t i = 0; i < figures.size(); ++i) {
      const auto interval = interval_of(intervals, figures[i]).interval;
      if (!interval) continue;
      const double truth = true_figure(whole, figures[i]);
      ++all[i].given;
      all[i].missed += truth < interval->low || truth > interval->high ? 1 : 0;
    }
  }
  return all;
}

std::vector<RunGroup> alike_groups(std::uint64_t seed, std::size_t runs_of_each) {
  constexpr std::size_t kFrames = 2'400;
  Random random(seed);
  std::vector<RunGroup> groups = {{"first", {}}, {"second", {}}};
  for (RunGroup& group : groups) {
    for (std::size_t i = 0; i < runs_of_each; ++i) {
      const double longer = std::exp(0.02 * normal(random));
      std::vector<FrameRecord> frames;
      Moment at{};
      for (const double one : spikes(random, kFrames)) {
        const Nanoseconds interval = from_seconds(one * longer / kSimulatedRate);
        frames.push_back({at += interval, interval, kUnknownTime});
      }
      RunInsight& run = group.runs.emplace_back();
      run.summary = summarize(intervals_in(frames));
      run.stutters = find_stutters(frames);
    }
  }
  return groups;
}

}  // namespace idlemeter::rig
