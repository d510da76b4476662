// Decimal numbers as exact nanoseconds.
#pragma once

#include <algorithm>
#include <array>
#include <charconv>
#include <chrono>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <string_view>

#include "idlemeter/base/time.hpp"

namespace idlemeter::runs {

inline constexpr int kMostDigits = 18;   ///< every number of so many digits fits 64 bits
inline constexpr int kDigitsTaken = 19;  ///< some numbers of 19 digits fit: nanoseconds since 1970

inline constexpr auto kPowersOfTen = [] {
  std::array<std::int64_t, kMostDigits + 1> powers{1};
  for (std::size_t i = 1; i < powers.size(); ++i) powers[i] = 10 * powers[i - 1];
  return powers;
}();

/// The most that may be multiplied by each power of ten, to stay below kLongestTime.
inline constexpr auto kMostBefore = [] {
  std::array<std::int64_t, kMostDigits + 1> most{};
  for (std::size_t i = 0; i < most.size(); ++i) most[i] = kLongestTime.count() / kPowersOfTen[i];
  return most;
}();

/// A number with an exponent, or with more digits than fit, through a double.
inline bool rounded_nanoseconds(std::string_view text, char point, int scale, Nanoseconds& into) {
  char copy[64];
  if (text.front() == '+') text.remove_prefix(1);
  if (text.size() > sizeof copy) return false;
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (text[i] == '.' && point != '.') return false;
    copy[i] = text[i] == point ? '.' : text[i];
  }
  double number = 0;
  const auto read = std::from_chars(copy, copy + text.size(), number);
  const double nanoseconds = number * static_cast<double>(kPowersOfTen[static_cast<std::size_t>(scale)]);
  if (read.ec != std::errc() || read.ptr != copy + text.size() || !std::isfinite(nanoseconds) ||
      std::abs(nanoseconds) > static_cast<double>(kLongestTime.count()))
    return false;
  into = Nanoseconds(std::llround(nanoseconds));
  return true;
}

/// The number of up to `most` digits at `at`, which moves behind them.
inline std::uint64_t take_digits(const char*& at, const char* end, std::ptrdiff_t most) {
  const char* const limit = end - at > most ? at + most : end;
  std::uint64_t digits = 0;
  for (; at != limit; ++at) {
    const auto digit = static_cast<unsigned char>(*at - '0');
    if (digit > 9) break;
    digits = 10 * digits + digit;
  }
  return digits;
}

/// A number with `point` between whole and fraction times 10^`scale` (0 to 9) nanoseconds, rounded to whole ones.
/// "16.6834" with scale 6 -> 16683400 ns, exactly. False if it isn't a number, or beyond kLongestTime either way. (An
/// optional is written in parts and read as a whole, which costs as much as the rest of it.)
inline bool exact_nanoseconds(std::string_view text, char point, int scale, Nanoseconds& into) {
  const char *at = text.data(), *const end = at + text.size();
  const bool negative = at != end && *at == '-';
  if (at != end && (*at == '-' || *at == '+')) ++at;
  // Whole and fraction apart, so that neither waits for the other.
  const char* const first = at;
  std::uint64_t all = take_digits(at, end, kDigitsTaken);
  std::ptrdiff_t count = at - first, after_point = 0;
  if (at != end && *at == point) {
    const char* const second = ++at;
    const std::uint64_t fraction = take_digits(at, end, std::min<std::ptrdiff_t>(kMostDigits, kDigitsTaken - count));
    after_point = at - second;
    count += after_point;
    all = all * static_cast<std::uint64_t>(kPowersOfTen[static_cast<std::size_t>(after_point)]) + fraction;
  }
  if (count == 0) return false;
  auto digits = static_cast<std::int64_t>(all);
  if (at != end || digits < 0) return rounded_nanoseconds(text, point, scale, into);
  if (after_point > scale) {
    const std::int64_t unit = kPowersOfTen[static_cast<std::size_t>(after_point - scale)];
    digits = digits / unit + (digits % unit >= unit - digits % unit ? 1 : 0);
  } else {
    const auto shift = static_cast<std::size_t>(scale - after_point);
    if (digits > kMostBefore[shift]) return false;
    digits *= kPowersOfTen[shift];
  }
  into = Nanoseconds(negative ? -digits : digits);
  return true;
}

/// "1:02:03.5" as 3723.5 s, also "2:03,5"; false if it isn't a clock's time.
inline bool clock_nanoseconds(std::string_view text, char point, Nanoseconds& into) {
  Nanoseconds whole{};
  for (std::size_t colon; (colon = text.find(':')) != std::string_view::npos; text.remove_prefix(colon + 1)) {
    int part = 0;
    const auto read = std::from_chars(text.data(), text.data() + colon, part);
    if (read.ec != std::errc() || read.ptr != text.data() + colon || part < 0 || part > 99'999 ||
        whole > std::chrono::hours(100))
      return false;
    whole = (whole + std::chrono::seconds(part)) * 60;
  }
  Nanoseconds seconds{};
  if (!exact_nanoseconds(text, point, 9, seconds)) return false;
  if (seconds < Nanoseconds{} || seconds >= std::chrono::seconds(61)) return false;
  into = whole + seconds;
  return true;
}

/// Since 1970, of "2026-11-27 01:05:39.5", also with T and Z; from 1970 to 2200.
inline std::optional<Nanoseconds> date_nanoseconds(std::string_view text, char point) {
  constexpr std::size_t kWhole = 19, kDate = 10;
  if (text.size() < kWhole || text[4] != '-' || text[7] != '-' || (text[kDate] != ' ' && text[kDate] != 'T')) return {};
  const auto part = [&](std::size_t at, std::size_t length) {
    unsigned value = 0;
    const char* const end = text.data() + at + length;
    return std::from_chars(text.data() + at, end, value).ptr == end ? value : 0;
  };
  const std::chrono::year_month_day day{std::chrono::year(static_cast<int>(part(0, 4))), std::chrono::month(part(5, 2)),
                                        std::chrono::day(part(8, 2))};
  const bool is_near = day.year() >= std::chrono::year(1970) && day.year() <= std::chrono::year(2200);
  std::string_view clock = text.substr(kDate + 1);
  if (clock.ends_with('Z')) clock.remove_suffix(1);
  // The zone, as +02:00, moves all moments alike.
  if (const auto zone = clock.find_first_of("+-"); zone != std::string_view::npos) clock = clock.substr(0, zone);
  Nanoseconds time{};
  if (!day.ok() || !is_near || !clock_nanoseconds(clock, point, time)) return {};
  return std::chrono::duration_cast<Nanoseconds>(std::chrono::sys_days(day).time_since_epoch()) + time;
}

}  // namespace idlemeter::runs
