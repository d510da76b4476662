// Idle Meter: lengths of time and moments.
#pragma once

#include <chrono>

namespace idlemeter {

/// A length of time.
using Nanoseconds = std::chrono::nanoseconds;

/// A moment on the monotonic clock, the one that the probe stamps frames with. In a stored run, `Moment{}` is the
/// run's start.
using Moment = std::chrono::time_point<std::chrono::steady_clock, Nanoseconds>;

inline constexpr Nanoseconds kMicrosecond = std::chrono::microseconds(1);
inline constexpr Nanoseconds kMillisecond = std::chrono::milliseconds(1);
inline constexpr Nanoseconds kSecond = std::chrono::seconds(1);

/// A hundred years. Anything from outside that is longer, or later after a clock's or a run's start, is refused on
/// entry, so that the sum of two never overflows.
inline constexpr Nanoseconds kLongestTime = std::chrono::hours(36'525 * 24);
inline constexpr Moment kLatestMoment{kLongestTime};
inline constexpr Moment kEarliestMoment{-kLongestTime};

/// Stands for a length that isn't known; no measured one is negative.
inline constexpr Nanoseconds kUnknownTime{-1};

/// Any thread.
[[nodiscard]] inline Moment monotonic_now() noexcept { return std::chrono::steady_clock::now(); }

[[nodiscard]] constexpr double in_seconds(Nanoseconds length) { return std::chrono::duration<double>(length).count(); }
[[nodiscard]] constexpr double in_milliseconds(Nanoseconds length) {
  return std::chrono::duration<double, std::milli>(length).count();
}

/// Cut to whole nanoseconds; up to kLongestTime either way.
[[nodiscard]] constexpr Nanoseconds from_seconds(double seconds) {
  return std::chrono::duration_cast<Nanoseconds>(std::chrono::duration<double>(seconds));
}

}  // namespace idlemeter
