// Frame times in logarithmic buckets: octaves with 256 linear steps in each, a width of 0.4 % everywhere.
#pragma once

#include <algorithm>
#include <bit>
#include <cstddef>
#include <cstdint>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_summary.hpp"

namespace idlemeter::frames {

constexpr int kOctaveBits = 8;

// 5 -> 5; 1000 -> the octave 512..1023 in steps of 2; 16'666'667 -> its octave in steps of 65'536
constexpr std::size_t log_bucket_of(Nanoseconds value) {
  const auto v = static_cast<std::uint64_t>(value.count());
  const int shift = std::max(0, static_cast<int>(std::bit_width(v)) - (kOctaveBits + 1));
  return static_cast<std::size_t>(v >> shift) + (static_cast<std::size_t>(shift) << kOctaveBits);
}

/// The shortest frame time in the bucket.
constexpr Nanoseconds log_bucket_low(std::size_t bucket) {
  constexpr std::size_t kOctave = std::size_t{1} << kOctaveBits;
  if (bucket < 2 * kOctave) return Nanoseconds(bucket);
  return Nanoseconds((bucket % kOctave + kOctave) << (bucket / kOctave - 1));
}

constexpr std::size_t kLogBuckets = log_bucket_of(kLongestFrame) + 1;

}  // namespace idlemeter::frames
