// Idle Meter: one quantity over time, what it is and what it is now.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <variant>

#include "idlemeter/readings/units.hpp"

namespace idlemeter {

/// There is no value, and why: "cannot read /sys/…/energy_uj: Permission denied; …".
struct Missing {
  std::string reason;
  friend bool operator==(const Missing&, const Missing&) = default;
};

/// What a reading is at a moment: missing, a number in the reading's unit, or a text. A number is always finite.
using Value = std::variant<Missing, double, std::string>;

/// The number, or empty.
[[nodiscard]] std::optional<double> number(const Value& value);

/// What kind of device a reading belongs to; faces colour by it.
enum class DeviceKind : std::uint8_t {
  processor,
  graphics,
  memory,
  disk,
  network,
  battery,
  board,
  frames,
  game,
  system,
  own
};

inline constexpr DeviceKind kDeviceKinds[] = {DeviceKind::processor, DeviceKind::graphics, DeviceKind::memory,
                                              DeviceKind::disk,      DeviceKind::network,  DeviceKind::battery,
                                              DeviceKind::board,     DeviceKind::frames,   DeviceKind::game,
                                              DeviceKind::system,    DeviceKind::own};

/// "processor", "graphics" …
[[nodiscard]] std::string_view name_of(DeviceKind kind);

/// What a reading is. Ids are `device.part.quantity@argument`, stable between boots: `cpu.core3.clock`,
/// `gpu.hotspot.temp`.
struct ReadingInfo {
  std::string id = {};
  std::string title = {};   ///< for people: "GPU hotspot temperature"
  std::string brief = {};   ///< for a narrow place: "Hotspot"
  std::string device = {};  ///< "Marl G9"
  DeviceKind kind = DeviceKind::system;
  Unit unit = Unit::none;
  std::string source = {};  ///< where the value comes from: a file, a library, a command
  int digits = -1;          ///< after the point; -1: as usual for the unit
  bool text = false;        ///< its values are texts
  std::string alias = {};   ///< another id of the same reading: "gpu0.load" for the game's card; usually none

  friend bool operator==(const ReadingInfo&, const ReadingInfo&) = default;
};

/// How many digits after the point its numbers are shown with.
[[nodiscard]] int digits_of(const ReadingInfo& info);

/// A name with the reading's unit, for the head of a column: "GPU power, W".
[[nodiscard]] std::string with_unit(const std::string& name, const ReadingInfo& info);

/// "3.4 GHz", "71 °C", the text, or "–" if missing.
[[nodiscard]] std::string format_value(const ReadingInfo& info, const Value& value);

}  // namespace idlemeter
