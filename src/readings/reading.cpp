#include "idlemeter/readings/reading.hpp"

#include <algorithm>
#include <unordered_set>

#include "idlemeter/readings/units.hpp"

namespace idlemeter {

std::optional<double> number(const Value& value) {
  const double* found = std::get_if<double>(&value);
  return found != nullptr ? std::optional(*found) : std::nullopt;
}

std::string_view name_of(DeviceKind kind) {
  constexpr std::string_view kNames[] = {"processor", "graphics", "memory", "disk",   "network", "battery",
                                         "board",     "frames",   "game",   "system", "own"};
  return kNames[static_cast<std::size_t>(kind)];
}

int digits_of(const ReadingInfo& info) { return info.digits >= 0 ? info.digits : usual_digits(info.unit); }

std::string with_unit(const std::string& name, const ReadingInfo& info) {
  return info.unit == Unit::none ? name : name + ", " + std::string(symbol(info.unit));
}

std::string format_value(const ReadingInfo& info, const Value& value) {
  if (const auto* text = std::get_if<std::string>(&value)) return *text;
  const auto found = number(value);
  if (!found) return "–";
  std::string text = format_number(*found, shown_digits(info.unit, *found, digits_of(info)));
  if (info.unit != Unit::none) text.append(" ").append(symbol(info.unit));
  return text;
}

}  // namespace idlemeter
