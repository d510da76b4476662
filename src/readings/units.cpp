#include "idlemeter/readings/units.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <cmath>

namespace idlemeter {
namespace {

enum class Dimension : std::uint8_t {
  none,
  ratio,
  temperature,
  frequency,
  data,
  data_rate,
  transfers,
  power,
  voltage,
  current,
  energy,
  speed,
  flow,
  time,
  frame_rate,
  frames_per_energy
};

/// A value in this unit is (value * over / under + offset) in the base unit of its dimension, all whole numbers.
struct UnitFacts {
  std::string_view symbol;
  std::string_view brief;
  Dimension dimension;
  double over;
  double under = 1;
  int digits = 0;
};

constexpr double kKi = 1024, kMi = kKi * kKi, kGi = kMi * kKi, kTi = kGi * kKi;

// In the order of the enumeration. Fahrenheit's offset is in convert().
constexpr std::array kFacts = {
    UnitFacts{"", "", Dimension::none, 1},
    UnitFacts{"%", "%", Dimension::ratio, 1},
    UnitFacts{"°C", "°C", Dimension::temperature, 1},
    UnitFacts{"°F", "°F", Dimension::temperature, 5, 9},
    UnitFacts{"Hz", "Hz", Dimension::frequency, 1},
    UnitFacts{"kHz", "kHz", Dimension::frequency, 1e3},
    UnitFacts{"MHz", "MHz", Dimension::frequency, 1e6},
    UnitFacts{"GHz", "GHz", Dimension::frequency, 1e9, 1, 2},
    UnitFacts{"B", "B", Dimension::data, 1},
    UnitFacts{"KiB", "KiB", Dimension::data, kKi},
    UnitFacts{"MiB", "MiB", Dimension::data, kMi},
    UnitFacts{"GiB", "GiB", Dimension::data, kGi, 1, 1},
    UnitFacts{"TiB", "TiB", Dimension::data, kTi, 1, 2},
    UnitFacts{"kB", "kB", Dimension::data, 1e3},
    UnitFacts{"MB", "MB", Dimension::data, 1e6},
    UnitFacts{"GB", "GB", Dimension::data, 1e9, 1, 1},
    UnitFacts{"TB", "TB", Dimension::data, 1e12, 1, 2},
    UnitFacts{"B/s", "B/s", Dimension::data_rate, 1},
    UnitFacts{"KiB/s", "Ki/s", Dimension::data_rate, kKi},
    UnitFacts{"MiB/s", "Mi/s", Dimension::data_rate, kMi, 1, 1},
    UnitFacts{"GiB/s", "Gi/s", Dimension::data_rate, kGi, 1, 2},
    UnitFacts{"kB/s", "k/s", Dimension::data_rate, 1e3},
    UnitFacts{"MB/s", "M/s", Dimension::data_rate, 1e6, 1, 1},
    UnitFacts{"GB/s", "G/s", Dimension::data_rate, 1e9, 1, 2},
    UnitFacts{"Mbit/s", "Mb/s", Dimension::data_rate, 125'000, 1, 1},
    UnitFacts{"MT/s", "MT/s", Dimension::transfers, 1e6},
    UnitFacts{"mW", "mW", Dimension::power, 1, 1000},
    UnitFacts{"W", "W", Dimension::power, 1, 1, 1},
    UnitFacts{"mV", "mV", Dimension::voltage, 1, 1000},
    UnitFacts{"V", "V", Dimension::voltage, 1, 1, 3},
    UnitFacts{"mA", "mA", Dimension::current, 1, 1000},
    UnitFacts{"A", "A", Dimension::current, 1, 1, 2},
    UnitFacts{"mWh", "mWh", Dimension::energy, 36, 10},
    UnitFacts{"Wh", "Wh", Dimension::energy, 3600, 1, 1},
    UnitFacts{"J", "J", Dimension::energy, 1},
    UnitFacts{"rpm", "rpm", Dimension::speed, 1},
    UnitFacts{"l/h", "l/h", Dimension::flow, 1, 1, 1},
    UnitFacts{"ns", "ns", Dimension::time, 1, 1e9},
    UnitFacts{"µs", "µs", Dimension::time, 1, 1e6},
    UnitFacts{"ms", "ms", Dimension::time, 1, 1e3, 1},
    UnitFacts{"s", "s", Dimension::time, 1, 1, 1},
    UnitFacts{"min", "min", Dimension::time, 60},
    UnitFacts{"h", "h", Dimension::time, 3600, 1, 1},
    UnitFacts{"FPS", "FPS", Dimension::frame_rate, 1, 1, 1},
    UnitFacts{"frames/J", "f/J", Dimension::frames_per_energy, 1, 1, 2},
};

constexpr auto kUnits = [] {
  std::array<Unit, kFacts.size()> units{};
  for (std::size_t i = 0; i < units.size(); ++i) units[i] = static_cast<Unit>(i);
  return units;
}();
static_assert(kUnits.back() == Unit::frames_per_joule, "a unit without its facts");

const UnitFacts& facts(Unit unit) { return kFacts[static_cast<std::size_t>(unit)]; }

std::string lower(std::string_view text) {
  std::string result(text);
  std::transform(result.begin(), result.end(), result.begin(), [](unsigned char c) { return std::tolower(c); });
  return result;
}

}  // namespace

std::span<const Unit> all_units() { return kUnits; }

std::string_view symbol(Unit unit) { return facts(unit).symbol; }

std::string_view short_symbol(Unit unit) { return facts(unit).brief; }

std::optional<Unit> unit_from(std::string_view text) {
  for (Unit unit : kUnits) {
    if (symbol(unit) == text) return unit;
  }
  const std::string wanted = lower(text);
  if (wanted == "c") return Unit::celsius;
  if (wanted == "f") return Unit::fahrenheit;
  if (wanted == "us") return Unit::microsecond;
  std::optional<Unit> found;
  for (Unit unit : kUnits) {
    if (lower(symbol(unit)) != wanted) continue;
    if (found) return std::nullopt;  // "mw" could be "mW" only, but a second match would make it a guess
    found = unit;
  }
  return found;
}

std::optional<double> convert(double value, Unit from, Unit to) {
  if (from == to) return value;
  const UnitFacts& a = facts(from);
  const UnitFacts& b = facts(to);
  if (a.dimension != b.dimension || a.dimension == Dimension::none) return std::nullopt;
  if (from == Unit::fahrenheit) return (value - 32) * 5 / 9;
  if (to == Unit::fahrenheit) return value * 9 / 5 + 32;
  return value * (a.over * b.under) / (a.under * b.over);
}

int usual_digits(Unit unit) { return facts(unit).digits; }

int shown_digits(Unit unit, double value, int digits) {
  const bool is_low = unit == Unit::frames_per_second && std::abs(value) < 10 && value != 0;
  return is_low ? std::max(digits, 1) : digits;
}

std::string format_number(double value, int digits) {
  std::string text = fmt::format("{:.{}f}", value, std::clamp(digits, 0, 9));
  if (text.front() == '-' && text.find_first_of("123456789") == std::string::npos) text.erase(0, 1);
  return text;
}

}  // namespace idlemeter
