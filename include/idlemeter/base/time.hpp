// Idle Meter: lengths of time and moments.
#pragma once

#include <cstdint>

namespace idlemeter {

/// A moment on the monotonic clock, or a length of time, in nanoseconds.
using Nanoseconds = std::int64_t;

inline constexpr Nanoseconds kMicrosecond = 1'000;
inline constexpr Nanoseconds kMillisecond = 1'000'000;
inline constexpr Nanoseconds kSecond = 1'000'000'000;

/// No moment is later: a hundred years after a clock's or a run's start. Anything from outside with a later time is
/// refused on entry, so that the sum of two moments never overflows.
inline constexpr Nanoseconds kLatestMoment = Nanoseconds{36'525} * 24 * 3600 * kSecond;

/// The monotonic clock, the same one that the probe stamps frames with. Any thread.
[[nodiscard]] Nanoseconds monotonic_now() noexcept;

}  // namespace idlemeter
