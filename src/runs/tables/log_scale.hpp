// Numbers of a log's column as nanoseconds.
#pragma once

#include <cmath>
#include <cstdint>
#include <optional>
#include <string_view>

#include "idlemeter/base/time.hpp"
#include "idlemeter/runs/frame_log.hpp"
#include "runs/tables/decimal.hpp"
#include "runs/tables/log_columns.hpp"

namespace idlemeter::runs {

/// Whether it is a time of day, without a date.
inline bool is_clock(std::string_view text) {
  return text.find(':') != std::string_view::npos && text.find('-') == std::string_view::npos;
}

/// Whether a field could be a number, a clock's time or a date, by its characters.
inline bool is_like_a_number(std::string_view text) {
  constexpr std::string_view kCharacters = "0123456789.,:+-eETZ \t\"";
  return !trimmed(text).empty() && text.find_first_not_of(kCharacters) == std::string_view::npos;
}

/// A number of nanoseconds in a column's unit.
struct Scale {
  int power = 0;
  bool is_rate = false;

  explicit Scale(std::optional<LogUnit> unit) {
    if (unit == LogUnit::microsecond) power = 3;
    if (unit == LogUnit::millisecond) power = 6;
    if (unit == LogUnit::second) power = 9;
    if (unit == LogUnit::frames_per_second) {
      power = 9;
      is_rate = true;
    }
  }

  /// False if it isn't a number.
  bool read(std::string_view text, char point, Nanoseconds& into) const {
    if (exact_nanoseconds(text, point, power, into)) return !is_rate || invert(into);
    text = trimmed(text);
    if (exact_nanoseconds(text, point, power, into)) return !is_rate || invert(into);
    if (text.find(':') == std::string_view::npos || is_rate) return false;
    if (clock_nanoseconds(text, point, into)) return true;
    const auto date = date_nanoseconds(text, point);
    into = date.value_or(Nanoseconds{});
    return date.has_value();
  }

 private:
  /// A rate's period.
  static bool invert(Nanoseconds& number) {
    if (number <= Nanoseconds{}) return false;
    const double period = 1e18 / static_cast<double>(number.count());
    if (period > static_cast<double>(kLongestTime.count())) return false;
    number = Nanoseconds(std::llround(period));
    return true;
  }
};

}  // namespace idlemeter::runs
