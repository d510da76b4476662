// Decimal numbers as exact nanoseconds.
#pragma once

#include <charconv>
#include <cmath>
#include <cstdint>
#include <optional>
#include <string_view>

#include "idlemeter/base/time.hpp"

namespace idlemeter::runs {

/// A power of ten in [0, 18].
constexpr std::int64_t power_of_ten(int exponent) {
  std::int64_t power = 1;
  for (; exponent > 0; --exponent) power *= 10;
  return power;
}

/// A number with `point` between whole and fraction times 10^`scale` (0 to 9) nanoseconds, rounded to whole ones.
/// "16.6834" with scale 6 -> 16683400 ns, exactly. Numbers with an exponent go through a double. Empty if it isn't a
/// number, or beyond kLongestTime either way.
inline std::optional<Nanoseconds> exact_nanoseconds(std::string_view text, char point, int scale) {
  constexpr int kMostDigits = 18;  // of which any number fits 64 bits
  const char *at = text.data(), *const end = at + text.size();
  const bool negative = at != end && *at == '-';
  if (at != end && (*at == '-' || *at == '+')) ++at;
  std::int64_t digits = 0;
  int count = 0, after_point = 0;
  const auto take = [&](bool fraction) {
    for (; at != end && *at >= '0' && *at <= '9' && count < kMostDigits; ++at) {
      digits = digits * 10 + (*at - '0');
      count += digits != 0 ? 1 : 0;
      after_point += fraction ? 1 : 0;
      if (after_point == kMostDigits) break;
    }
  };
  const char* const first = at;
  take(false);
  bool any = at != first;
  if (at != end && *at == point) {
    const char* const second = ++at;
    take(true);
    any = any || at != second;
  }
  if (!any) return std::nullopt;
  if (at != end) {  // an exponent, or more digits than fit
    char copy[64];
    const std::size_t length = text.size() - (text.front() == '+' ? 1 : 0);
    if (length > sizeof copy) return std::nullopt;
    for (std::size_t i = 0; i < length; ++i) {
      const char byte = text[text.size() - length + i];
      copy[i] = byte == point ? '.' : byte;
    }
    double number = 0;
    const auto read = std::from_chars(copy, copy + length, number);
    const double nanoseconds = number * static_cast<double>(power_of_ten(scale));
    if (read.ec != std::errc() || read.ptr != copy + length || !std::isfinite(nanoseconds) ||
        std::abs(nanoseconds) > static_cast<double>(kLongestTime.count()))
      return std::nullopt;
    return Nanoseconds(std::llround(nanoseconds));
  }
  if (after_point > scale) {
    const std::int64_t unit = power_of_ten(after_point - scale);
    digits = digits / unit + (digits % unit >= unit - digits % unit ? 1 : 0);
  } else {
    const std::int64_t unit = power_of_ten(scale - after_point);
    if (digits > kLongestTime.count() / unit) return std::nullopt;
    digits *= unit;
  }
  if (digits > kLongestTime.count()) return std::nullopt;
  return Nanoseconds(negative ? -digits : digits);
}

/// "1:02:03.5" as 3723.5 s, also "2:03,5"; empty if it isn't a clock's time.
inline std::optional<Nanoseconds> clock_nanoseconds(std::string_view text, char point) {
  Nanoseconds whole{};
  for (std::size_t colon; (colon = text.find(':')) != std::string_view::npos; text.remove_prefix(colon + 1)) {
    int part = 0;
    const auto read = std::from_chars(text.data(), text.data() + colon, part);
    if (read.ec != std::errc() || read.ptr != text.data() + colon || part < 0 || whole > std::chrono::hours(100))
      return std::nullopt;
    whole = (whole + std::chrono::seconds(part)) * 60;
  }
  const auto seconds = exact_nanoseconds(text, point, 9);
  if (!seconds || *seconds < Nanoseconds{} || *seconds >= std::chrono::seconds(61)) return std::nullopt;
  return whole + *seconds;
}

}  // namespace idlemeter::runs
