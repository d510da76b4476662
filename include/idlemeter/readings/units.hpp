// Idle Meter: the units that readings come in, and how a number is written.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <string_view>

namespace idlemeter {

/// The closed set of units.
enum class Unit : std::uint8_t {
  none,  // a count, a state, a text
  percent,
  celsius,
  fahrenheit,
  hertz,
  kilohertz,
  megahertz,
  gigahertz,
  byte,
  kibibyte,
  mebibyte,
  gibibyte,
  tebibyte,
  kilobyte,
  megabyte,
  gigabyte,
  terabyte,
  byte_per_second,
  kibibyte_per_second,
  mebibyte_per_second,
  gibibyte_per_second,
  kilobyte_per_second,
  megabyte_per_second,
  gigabyte_per_second,
  megabit_per_second,
  transfers_per_second,  // of memory: MT/s
  milliwatt,
  watt,
  millivolt,
  volt,
  milliampere,
  ampere,
  milliwatt_hour,
  watt_hour,
  joule,
  rpm,
  litre_per_hour,
  nanosecond,
  microsecond,
  millisecond,
  second,
  minute,
  hour,
  frames_per_second,
  frames_per_joule,
};

/// Every unit, in the order of the enumeration.
[[nodiscard]] std::span<const Unit> all_units();

/// How it is written after a number, in files and on the command line: "°C", "MHz", "MiB/s", "FPS"; "" for none.
[[nodiscard]] std::string_view symbol(Unit unit);

/// A shorter form for raised print on an overlay: "°", "%", "M" … The symbol itself if that is short already.
[[nodiscard]] std::string_view short_symbol(Unit unit);

/// The unit with that symbol, upper and lower case alike if that is unambiguous; "C", "F" and "us" are understood
/// too.
[[nodiscard]] std::optional<Unit> unit_from(std::string_view text);

/// `value` given in `from`, expressed in `to`; empty if the two measure different things. One multiplication by a
/// ratio of whole numbers (and an offset for temperatures), rounded once.
[[nodiscard]] std::optional<double> convert(double value, Unit from, Unit to);

/// How many digits after the point a number in this unit is shown with, unless said otherwise.
[[nodiscard]] int usual_digits(Unit unit);

/// How many digits a number is shown with after the point: `digits`, but at least one of a rate of less than ten frames
/// a second, which would read "0 FPS" otherwise.
[[nodiscard]] int shown_digits(Unit unit, double value, int digits);

/// "71", "71.3": `value` with `digits` after the point, never "-0" and never an exponent.
[[nodiscard]] std::string format_number(double value, int digits);

}  // namespace idlemeter
