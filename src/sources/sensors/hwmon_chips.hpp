// The kernel's hwmon chips and their channels (Documentation/hwmon/sysfs-interface).
#pragma once

#include <string>
#include <vector>

#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/units.hpp"
#include "sources/kernel/kernel_file.hpp"
#include "sources/kernel/reader_source.hpp"

namespace idlemeter::sources {

/// One measured quantity of a chip: "temp2_input" with its "temp2_label".
struct HwmonChannel {
  std::string prefix;  // "temp", "fan", "in", "curr", "power", "energy", "freq", "pwm", "humidity"
  int number = 0;
  fs::path file;
  std::string label;  // as the driver or the board's maker has it; may be empty
};

struct HwmonChip {
  fs::path folder;     // /sys/class/hwmon/hwmon3
  std::string name;    // "k10temp"
  std::string device;  // resolved path of the device it belongs to: the same after every boot
  std::vector<HwmonChannel> channels;

  /// The channel, or nullptr.
  [[nodiscard]] const HwmonChannel* channel(std::string_view prefix, int number) const;
  [[nodiscard]] const HwmonChannel* labelled(std::string_view prefix, std::string_view label) const;
};

/// All chips, sorted by name, then by device, so that numbering the second one of a name is stable between boots.
std::vector<HwmonChip> hwmon_chips(const fs::path& root);

/// One chip from its folder.
HwmonChip hwmon_chip(const fs::path& folder);

/// What a channel's prefix measures.
struct HwmonQuantity {
  std::string_view prefix;
  std::string_view id;     // "temp"
  std::string_view title;  // "temperature"
  Unit unit;
  double scale;  // from the file's number to the unit
};

/// nullptr for a prefix that isn't known.
const HwmonQuantity* hwmon_quantity(std::string_view prefix);

/// A reader of the channel under the given id and names.
Reader hwmon_reader(const HwmonChannel& channel, std::string id, std::string title, std::string brief,
                    std::string device, DeviceKind kind);

/// True for the chips of graphics drivers, which belong to the GPU's readings.
bool is_graphics_chip(std::string_view chip_name);

}  // namespace idlemeter::sources
