// Idle Meter: how many frames took how long, in buckets that are the same everywhere.
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>

#include "idlemeter/base/time.hpp"

namespace idlemeter {

/// Counts of frame times in 41 buckets. Histograms of several games, times or machines can be added up, and a
/// percentile of the whole be read from the sum: exact to the width of a bucket, a fifth of its value.
class FrameHistogram {
 public:
  /// 1 ms to 1 s in steps of about 19 %, rounded to three digits; the last bucket holds what took longer.
  static constexpr std::size_t kBuckets = 41;

  /// The most that each bucket but the last holds, rising.
  [[nodiscard]] static std::span<const Nanoseconds> bounds();

  /// One that was kept elsewhere.
  FrameHistogram() = default;
  FrameHistogram(const std::array<std::uint64_t, kBuckets>& counts, Nanoseconds sum) : counts_(counts), sum_(sum) {}

  /// What isn't above 0 isn't counted.
  void add(Nanoseconds frame_time);
  void add(const FrameHistogram& other);

  /// What came since it was `before`; all of it if it has fewer anywhere.
  [[nodiscard]] FrameHistogram since(const FrameHistogram& before) const;

  /// Frames by bucket.
  [[nodiscard]] const std::array<std::uint64_t, kBuckets>& counts() const { return counts_; }
  [[nodiscard]] std::uint64_t count() const;
  [[nodiscard]] Nanoseconds sum() const { return sum_; }

  friend bool operator==(const FrameHistogram&, const FrameHistogram&) = default;

 private:
  std::array<std::uint64_t, kBuckets> counts_{};
  Nanoseconds sum_{};
};

}  // namespace idlemeter
