#include "idlemeter/base/duration.hpp"

#include <charconv>
#include <span>
#include <utility>

#include "idlemeter/base/time.hpp"

namespace idlemeter {
namespace {

constexpr double kMost = 1e6;
constexpr std::pair<std::string_view, Nanoseconds> kUnits[] = {{"ms", kMillisecond},
                                                               {"s", kSecond},
                                                               {"min", 60 * kSecond},
                                                               {"h", std::chrono::hours(1)},
                                                               {"d", std::chrono::hours(24)}};
constexpr std::size_t kShortUnits = 3;  // of them, for what is watched rather than waited for

/// Takes a number from 0 to kMost off the front.
std::optional<double> take_number(std::string_view& text) {
  double number = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), number, std::chars_format::fixed);
  if (error != std::errc{} || !(number >= 0 && number <= kMost)) return std::nullopt;
  text.remove_prefix(static_cast<std::size_t>(end - text.data()));
  return number;
}

std::optional<Nanoseconds> read_clock(double minutes, std::string_view text) {
  const auto seconds = take_number(text);
  if (!seconds || !text.empty() || *seconds >= 60) return std::nullopt;
  return from_seconds(minutes * 60 + *seconds);
}

std::optional<Nanoseconds> read(std::string_view text, std::string_view unit,
                                std::span<const std::pair<std::string_view, Nanoseconds>> units) {
  const auto amount = take_number(text);
  if (!amount) return std::nullopt;
  if (text.starts_with(':')) return read_clock(*amount, text.substr(1));
  while (text.starts_with(' ')) text.remove_prefix(1);
  if (text.empty()) text = unit;
  for (const auto& [word, length] : units) {
    const double seconds = *amount * in_seconds(length);
    if (word == text) return seconds <= in_seconds(kLongestTime) ? std::optional(from_seconds(seconds)) : std::nullopt;
  }
  return std::nullopt;
}

}  // namespace

std::optional<Nanoseconds> duration_from(std::string_view text, std::string_view unit) {
  return read(text, unit, std::span(kUnits).first(kShortUnits));
}

std::optional<Nanoseconds> long_duration_from(std::string_view text, std::string_view unit) {
  return read(text, unit, kUnits);
}

}  // namespace idlemeter
