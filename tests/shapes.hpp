// Generated frames of all shapes, and a naive way to compute their figures.
#pragma once

#include <algorithm>
#include <cmath>
#include <numeric>
#include <random>
#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_summary.hpp"

namespace idlemeter::testing {

inline std::vector<Nanoseconds> ns(std::initializer_list<std::int64_t> lengths) {
  return {lengths.begin(), lengths.end()};
}

enum class Distribution { constant, steady, bimodal, heavy_tail, giant_spike, tiny, rising, falling };

inline constexpr Distribution kDistributions[] = {
    Distribution::constant,    Distribution::steady, Distribution::bimodal, Distribution::heavy_tail,
    Distribution::giant_spike, Distribution::tiny,   Distribution::rising,  Distribution::falling};

inline std::vector<Nanoseconds> generate(Distribution shape, std::size_t n, unsigned seed = 1) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal(0, 1);
  std::vector<Nanoseconds> frames(n);
  for (std::size_t i = 0; i < n; ++i) {
    double length = 16.666667;  // milliseconds
    switch (shape) {
      case Distribution::constant:
        break;
      case Distribution::steady:
        length += 0.01 * normal(random);
        break;
      case Distribution::bimodal:
        length = (random() % 2 != 0 ? 8.3 : 16.6) + 0.2 * normal(random);
        break;
      case Distribution::heavy_tail:
        length = 6 * std::exp(0.8 * normal(random));
        break;
      case Distribution::giant_spike:
        length = i == n / 2 ? 600'000 : 7 + 0.3 * normal(random);
        break;
      case Distribution::tiny:
        length = 1e-6 * static_cast<double>(1 + random() % 600);
        break;
      case Distribution::rising:
        length = 5 + 1e-4 * static_cast<double>(i);
        break;
      case Distribution::falling:
        length = 50 - 1e-4 * static_cast<double>(i);
        break;
    }
    frames[i] = Nanoseconds(std::max(1LL, std::llround(length * 1e6)));
  }
  return frames;
}

inline double in_ns(Nanoseconds length) { return static_cast<double>(length.count()); }

/// The definitions of frame_summary.hpp, taken literally, on sorted frames.
struct Plain {
  std::vector<Nanoseconds> sorted;

  explicit Plain(std::vector<Nanoseconds> frames) : sorted(std::move(frames)) {
    std::sort(sorted.begin(), sorted.end());
  }

  [[nodiscard]] double n() const { return static_cast<double>(sorted.size()); }
  [[nodiscard]] Nanoseconds total() const { return std::accumulate(sorted.begin(), sorted.end(), Nanoseconds{}); }

  [[nodiscard]] double percentile(long double q) const {
    const long double h = (sorted.size() - 1) * q;
    const auto i = static_cast<std::size_t>(h);
    if (i + 1 >= sorted.size()) return in_ns(sorted.back());
    return static_cast<double>(in_ns(sorted[i]) + (h - i) * in_ns(sorted[i + 1] - sorted[i]));
  }

  [[nodiscard]] double low_time(Share share, LowDefinition definition) const {
    if (definition == LowDefinition::percentile) return percentile(1 - static_cast<long double>(share.ppm) / 1'000'000);
    if (definition == LowDefinition::mean_of_slowest) {
      const std::size_t k = (sorted.size() * share.ppm + 999'999) / 1'000'000;
      return in_ns(std::accumulate(sorted.end() - static_cast<std::ptrdiff_t>(k), sorted.end(), Nanoseconds{})) /
             static_cast<double>(k);
    }
    const long double wanted = static_cast<long double>(total().count()) * share.ppm / 1'000'000;
    Nanoseconds reached{};
    auto slow = sorted.rbegin();
    for (; static_cast<long double>((reached + *slow).count()) < wanted; ++slow) reached += *slow;
    return in_ns(*slow);
  }
};

}  // namespace idlemeter::testing
