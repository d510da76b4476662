#include "idlemeter/frames/frame_histogram.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace idlemeter {
namespace {

/// Four to an octave from 1 ms, in three digits, up to 1 s.
std::array<Nanoseconds, FrameHistogram::kBuckets - 1> make_bounds() {
  std::array<Nanoseconds, FrameHistogram::kBuckets - 1> bounds{};
  for (std::size_t i = 0; i < bounds.size(); ++i) {
    const double milliseconds = std::exp2(static_cast<double>(i) / 4);
    const double digit = std::pow(10, std::floor(std::log10(milliseconds)) - 2);
    bounds[i] = Nanoseconds(std::llround(1e6 * digit * std::round(milliseconds / digit)));
  }
  bounds.back() = kSecond;
  return bounds;
}

const std::array<Nanoseconds, FrameHistogram::kBuckets - 1> kBounds = make_bounds();

}  // namespace

std::span<const Nanoseconds> FrameHistogram::bounds() { return kBounds; }

void FrameHistogram::add(Nanoseconds frame_time) {
  if (frame_time <= Nanoseconds{}) return;
  ++counts_[static_cast<std::size_t>(std::lower_bound(kBounds.begin(), kBounds.end(), frame_time) - kBounds.begin())];
  sum_ += frame_time;
}

void FrameHistogram::add(const FrameHistogram& other) {
  for (std::size_t i = 0; i < kBuckets; ++i) counts_[i] += other.counts_[i];
  sum_ += other.sum_;
}

FrameHistogram FrameHistogram::since(const FrameHistogram& before) const {
  FrameHistogram more = *this;
  for (std::size_t i = 0; i < kBuckets; ++i) {
    if (counts_[i] < before.counts_[i]) return *this;
    more.counts_[i] -= before.counts_[i];
  }
  more.sum_ -= before.sum_;
  return more.sum_ < Nanoseconds{} ? *this : more;
}

std::uint64_t FrameHistogram::count() const {
  return std::accumulate(counts_.begin(), counts_.end(), std::uint64_t{0});
}

}  // namespace idlemeter
