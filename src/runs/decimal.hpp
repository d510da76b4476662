// Decimal numbers as exact nanoseconds.
#pragma once

#include <algorithm>
#include <array>
#include <bit>
#include <charconv>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <cstring>
#include <optional>
#include <string_view>

#include "idlemeter/base/time.hpp"

namespace idlemeter::runs {

inline constexpr int kMostDigits = 18;  ///< of which any number fits 64 bits

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
inline std::optional<Nanoseconds> rounded_nanoseconds(std::string_view text, char point, int scale) {
  char copy[64];
  if (text.front() == '+') text.remove_prefix(1);
  if (text.size() > sizeof copy) return std::nullopt;
  for (std::size_t i = 0; i < text.size(); ++i) copy[i] = text[i] == point ? '.' : text[i];
  double number = 0;
  const auto read = std::from_chars(copy, copy + text.size(), number);
  const double nanoseconds = number * static_cast<double>(kPowersOfTen[static_cast<std::size_t>(scale)]);
  if (read.ec != std::errc() || read.ptr != copy + text.size() || !std::isfinite(nanoseconds) ||
      std::abs(nanoseconds) > static_cast<double>(kLongestTime.count()))
    return std::nullopt;
  return Nanoseconds(std::llround(nanoseconds));
}

/// A number with `point` between whole and fraction times 10^`scale` (0 to 9) nanoseconds, rounded to whole ones.
/// "16.6834" with scale 6 -> 16683400 ns, exactly. Empty if it isn't a number, or beyond kLongestTime either way.
inline std::optional<Nanoseconds> exact_nanoseconds(std::string_view text, char point, int scale) {
  const char *at = text.data(), *const end = at + text.size();
  const bool negative = at != end && *at == '-';
  if (at != end && (*at == '-' || *at == '+')) ++at;
  const auto take = [end](const char*& at, std::ptrdiff_t most) {
    const char* const limit = end - at > most ? at + most : end;
    std::uint64_t digits = 0;
    for (; at != limit; ++at) {
      const auto digit = static_cast<unsigned char>(*at - '0');
      if (digit > 9) break;
      digits = 10 * digits + digit;
    }
    return static_cast<std::int64_t>(digits);
  };
  // Whole and fraction apart, so that neither waits for the other.
  const char* const first = at;
  std::int64_t digits = take(at, kMostDigits);
  std::ptrdiff_t count = at - first, after_point = 0;
  if (at != end && *at == point) {
    const char* const second = ++at;
    const std::int64_t fraction = take(at, kMostDigits - count);
    after_point = at - second;
    count += after_point;
    digits = digits * kPowersOfTen[static_cast<std::size_t>(after_point)] + fraction;
  }
  if (count == 0) return std::nullopt;
  if (at != end) return rounded_nanoseconds(text, point, scale);
  if (after_point > scale) {
    const std::int64_t unit = kPowersOfTen[static_cast<std::size_t>(after_point - scale)];
    digits = digits / unit + (digits % unit >= unit - digits % unit ? 1 : 0);
  } else {
    const auto shift = static_cast<std::size_t>(scale - after_point);
    if (digits > kMostBefore[shift]) return std::nullopt;
    digits *= kPowersOfTen[shift];
  }
  return Nanoseconds(negative ? -digits : digits);
}

/// The number of the last `count` (1 to 8) of the eight characters before `end`, which all can be read; false if one of
/// them isn't a digit. All at once, in the bytes of a word.
inline bool read_digits(const char* end, std::ptrdiff_t count, std::int64_t& number) {
  static_assert(std::endian::native == std::endian::little);
  std::uint64_t word = 0;
  std::memcpy(&word, end - 8, 8);
  const auto others = static_cast<unsigned>(64 - 8 * count);
  if (others > 0) word = ((word >> others) << others) | (0x3030303030303030U >> (64 - others));
  const bool all_digits = (word & 0xF0F0F0F0F0F0F0F0U) == 0x3030303030303030U &&
                          ((word + 0x0606060606060606U) & 0xF0F0F0F0F0F0F0F0U) == 0x3030303030303030U;
  word = ((word & 0x0F0F0F0F0F0F0F0FU) * 2'561) >> 8;                 // pairs
  word = ((word & 0x00FF00FF00FF00FFU) * 6'553'601) >> 16;            // fours
  word = ((word & 0x0000FFFF0000FFFFU) * 42'949'672'960'001U) >> 32;  // eights
  number = static_cast<std::int64_t>(word);
  return all_digits;
}

/// As exact_nanoseconds() of the usual case: up to eight digits on either side of the point. What is at `readable` and
/// behind it up to the text can be read. False if the number is of another kind. (An optional would cost as much as the
/// rest of it.)
inline bool usual_nanoseconds(std::string_view text, char point, int scale, const char* readable, Nanoseconds& into) {
  const char *const first = text.data(), *const end = first + text.size();
  const char* whole_end = first;
  while (whole_end != end && *whole_end != point) ++whole_end;
  const std::ptrdiff_t whole = whole_end - first, fraction = whole_end == end ? 0 : end - whole_end - 1;
  if (whole < 1 || whole > 8 || fraction > std::min(8, scale) || readable == nullptr || whole_end - readable < 8)
    return false;
  std::int64_t digits = 0, rest = 0;
  if (!read_digits(whole_end, whole, digits)) return false;
  if (fraction > 0 && !read_digits(end, fraction, rest)) return false;
  const std::int64_t all = digits * kPowersOfTen[static_cast<std::size_t>(fraction)] + rest;
  const auto shift = static_cast<std::size_t>(scale - fraction);
  if (all > kMostBefore[shift]) return false;
  into = Nanoseconds(all * kPowersOfTen[shift]);
  return true;
}

/// "1:02:03.5" as 3723.5 s, also "2:03,5"; empty if it isn't a clock's time.
inline std::optional<Nanoseconds> clock_nanoseconds(std::string_view text, char point) {
  Nanoseconds whole{};
  for (std::size_t colon; (colon = text.find(':')) != std::string_view::npos; text.remove_prefix(colon + 1)) {
    int part = 0;
    const auto read = std::from_chars(text.data(), text.data() + colon, part);
    if (read.ec != std::errc() || read.ptr != text.data() + colon || part < 0 || part > 99'999 ||
        whole > std::chrono::hours(100))
      return std::nullopt;
    whole = (whole + std::chrono::seconds(part)) * 60;
  }
  const auto seconds = exact_nanoseconds(text, point, 9);
  if (!seconds || *seconds < Nanoseconds{} || *seconds >= std::chrono::seconds(61)) return std::nullopt;
  return whole + *seconds;
}

}  // namespace idlemeter::runs
