#include "sources/sensors/hwmon_chips.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter::sources {
namespace {

constexpr std::array kQuantities = {
    HwmonQuantity{"temp", "temp", "temperature", Unit::celsius, 1e-3},
    HwmonQuantity{"fan", "speed", "speed", Unit::rpm, 1},
    HwmonQuantity{"pwm", "duty", "duty", Unit::percent, 100.0 / 255},
    HwmonQuantity{"in", "voltage", "voltage", Unit::volt, 1e-3},
    HwmonQuantity{"curr", "current", "current", Unit::ampere, 1e-3},
    HwmonQuantity{"power", "power", "power", Unit::watt, 1e-6},
    HwmonQuantity{"energy", "energy", "energy", Unit::joule, 1e-6},
    HwmonQuantity{"freq", "clock", "clock", Unit::megahertz, 1e-6},
    HwmonQuantity{"humidity", "humidity", "humidity", Unit::percent, 1e-3},
};

/// "temp2_input" and "pwm2" -> 2; a power meter may have only an average.
std::optional<int> channel_number(const HwmonQuantity& quantity, std::string_view name) {
  if (quantity.prefix == "pwm") return number_between(name, "pwm", "");
  if (const auto n = number_between(name, quantity.prefix, "_input")) return n;
  return quantity.prefix == "power" ? number_between(name, "power", "_average") : std::nullopt;
}

}  // namespace

const HwmonChannel* HwmonChip::channel(std::string_view prefix, int number) const {
  const auto found = std::find_if(channels.begin(), channels.end(),
                                  [&](const HwmonChannel& c) { return c.prefix == prefix && c.number == number; });
  return found == channels.end() ? nullptr : &*found;
}

const HwmonChannel* HwmonChip::labelled(std::string_view prefix, std::string_view label) const {
  const auto found = std::find_if(channels.begin(), channels.end(),
                                  [&](const HwmonChannel& c) { return c.prefix == prefix && c.label == label; });
  return found == channels.end() ? nullptr : &*found;
}

HwmonChip hwmon_chip(const fs::path& folder) {
  HwmonChip chip{folder, read_file(folder / "name").text, "", {}};
  std::error_code failed;
  chip.device = fs::canonical(folder / "device", failed).string();
  const auto names = names_in(folder);
  for (const HwmonQuantity& quantity : kQuantities) {
    for (const std::string& name : names) {
      const auto number = channel_number(quantity, name);
      if (!number || chip.channel(quantity.prefix, *number) != nullptr) continue;
      const std::string label = read_file(folder / fmt::format("{}{}_label", quantity.prefix, *number)).text;
      chip.channels.push_back({std::string(quantity.prefix), *number, folder / name, label});
    }
  }
  return chip;
}

std::vector<HwmonChip> hwmon_chips(const fs::path& root) {
  std::vector<HwmonChip> chips;
  const fs::path folder = root / "sys/class/hwmon";
  for (const std::string& name : names_in(folder)) {
    HwmonChip chip = hwmon_chip(folder / name);
    if (!chip.name.empty()) chips.push_back(std::move(chip));
  }
  std::stable_sort(chips.begin(), chips.end(), [](const HwmonChip& a, const HwmonChip& b) {
    return std::tie(a.name, a.device) < std::tie(b.name, b.device);
  });
  return chips;
}

const HwmonQuantity* hwmon_quantity(std::string_view prefix) {
  const auto found =
      std::find_if(kQuantities.begin(), kQuantities.end(), [&](const auto& q) { return q.prefix == prefix; });
  return found == kQuantities.end() ? nullptr : &*found;
}

Reader hwmon_reader(const HwmonChannel& channel, std::string id, std::string title, std::string brief,
                    std::string device, DeviceKind kind) {
  const HwmonQuantity& quantity = *hwmon_quantity(channel.prefix);
  return {{std::move(id), std::move(title), std::move(brief), std::move(device), kind, quantity.unit,
           channel.file.string()},
          [file = channel.file, scale = quantity.scale](Moment) { return read_number(file, scale); }};
}

bool is_graphics_chip(std::string_view chip_name) {
  constexpr std::array<std::string_view, 5> kDrivers = {"amdgpu", "radeon", "nouveau", "i915", "xe"};
  return std::find(kDrivers.begin(), kDrivers.end(), chip_name) != kDrivers.end();
}

}  // namespace idlemeter::sources
