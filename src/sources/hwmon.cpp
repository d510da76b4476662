// Every hwmon chip but those of graphics cards, under names that say what is measured.
#include <fmt/format.h>

#include <array>
#include <cctype>
#include <map>
#include <set>

#include "sources/hwmon_chips.hpp"
#include "sources/sources.hpp"

namespace idlemeter::sources {
namespace {

/// What people call the thing that a chip sits on.
struct ChipFacts {
  std::string_view prefix;  // of the chip's name
  std::string_view device;
  DeviceKind kind;
};

constexpr std::array kChips = {
    ChipFacts{"coretemp", "Processor", DeviceKind::processor},
    ChipFacts{"k10temp", "Processor", DeviceKind::processor},
    ChipFacts{"k8temp", "Processor", DeviceKind::processor},
    ChipFacts{"fam15h_power", "Processor", DeviceKind::processor},
    ChipFacts{"cpu_thermal", "Processor", DeviceKind::processor},
    ChipFacts{"nvme", "SSD", DeviceKind::disk},
    ChipFacts{"drivetemp", "Disk", DeviceKind::disk},
    ChipFacts{"spd5118", "Memory module", DeviceKind::memory},
    ChipFacts{"jc42", "Memory module", DeviceKind::memory},
    ChipFacts{"iwlwifi", "Wireless", DeviceKind::network},
    ChipFacts{"mt7921", "Wireless", DeviceKind::network},
    ChipFacts{"ath1", "Wireless", DeviceKind::network},
    ChipFacts{"BAT", "Battery", DeviceKind::battery},
    ChipFacts{"", "Board", DeviceKind::board},
};

const ChipFacts& facts(std::string_view chip) {
  for (const ChipFacts& candidate : kChips) {
    if (chip.starts_with(candidate.prefix)) return candidate;
  }
  return kChips.back();
}

std::string capitalised(std::string text) {
  if (!text.empty()) text[0] = static_cast<char>(std::toupper(static_cast<unsigned char>(text[0])));
  return text;
}

/// A label that says nothing ("temp1", "in3") counts as none.
bool tells_something(const HwmonChannel& channel) {
  return !channel.label.empty() && !number_between(channel.label, channel.prefix, "");
}

/// The readings of one chip; `nth` of the chips with its name.
class ChipReadings {
 public:
  static void add(const HwmonChip& chip, int nth, std::vector<Reader>& readers) {
    if (facts(chip.name).kind == DeviceKind::processor) add_processor(chip, readers);
    add_others(chip, nth, readers);
  }

 private:
  static bool is_package(const HwmonChannel& channel) {
    return channel.label.starts_with("Package id") || channel.label == "Tdie" || channel.label == "Tctl";
  }

  /// The package as cpu.temp, cores as cpu.core3.temp, chiplets as cpu.chiplet1.temp.
  static void add_processor(const HwmonChip& chip, std::vector<Reader>& readers) {
    bool package = false;
    const auto add = [&](const HwmonChannel& channel, std::string id, std::string title, std::string brief) {
      readers.push_back(
          hwmon_reader(channel, std::move(id), std::move(title), std::move(brief), "Processor", DeviceKind::processor));
    };
    for (const HwmonChannel& channel : chip.channels) {
      if (channel.prefix != "temp") continue;
      if (const auto core = number_between(channel.label, "Core ", "")) {
        add(channel, fmt::format("cpu.core{}.temp", *core), fmt::format("Core {} temperature", *core),
            fmt::format("C{}", *core));
      } else if (const auto chiplet = number_between(channel.label, "Tccd", "")) {
        add(channel, fmt::format("cpu.chiplet{}.temp", *chiplet),
            fmt::format("Processor chiplet {} temperature", *chiplet), fmt::format("CCD{}", *chiplet));
      } else if (!package && (is_package(channel) || channel.label.empty())) {
        package = true;
        add(channel, "cpu.temp", "Processor temperature", "CPU");
      }
    }
  }

  static bool is_taken_by_processor(const HwmonChip& chip, const HwmonChannel& channel) {
    return facts(chip.name).kind == DeviceKind::processor && channel.prefix == "temp" &&
           (is_package(channel) || channel.label.empty() || number_between(channel.label, "Core ", "") ||
            number_between(channel.label, "Tccd", ""));
  }

  static void add_others(const HwmonChip& chip, int nth, std::vector<Reader>& readers) {
    std::map<std::string, int> labels;  // boards repeat labels
    for (const HwmonChannel& channel : chip.channels) {
      if (is_taken_by_processor(chip, channel)) continue;
      const HwmonQuantity& quantity = *hwmon_quantity(channel.prefix);
      std::string part = tells_something(channel) ? as_id(channel.label) : "";
      if (part.empty() || ++labels[channel.prefix + part] > 1)
        part = fmt::format("{}{}", channel.prefix, channel.number);
      const ChipFacts& device = facts(chip.name);
      const std::string number = nth > 1 ? fmt::format("{}", nth) : "";
      const std::string what =
          tells_something(channel) ? channel.label : fmt::format("{} {}", noun(channel.prefix), channel.number);
      readers.push_back(hwmon_reader(
          channel, fmt::format("{}{}.{}.{}", as_id(chip.name), number, part, quantity.id),
          fmt::format("{} {}", capitalised(what), quantity.title), what,
          fmt::format("{}{} ({})", device.device, number.empty() ? "" : " " + number, chip.name), device.kind));
    }
  }

  static std::string_view noun(std::string_view prefix) {
    if (prefix == "fan" || prefix == "pwm") return "fan";
    if (prefix == "temp") return "sensor";
    return prefix == "in" ? "rail" : "meter";
  }
};

/// A chip that was there at the start, in the place where it was.
class ChipSource : public ReaderSource {
 public:
  ChipSource(const HwmonChip& chip, int nth)
      : ReaderSource(fmt::format("hwmon {}{}", chip.name, nth > 1 ? fmt::format(" {}", nth) : "")),
        chip_(chip),
        nth_(nth) {}

 private:
  std::vector<Reader> find() override {
    std::vector<Reader> readers;
    const HwmonChip now = hwmon_chip(chip_.folder);
    if (now.name == chip_.name && now.device == chip_.device) ChipReadings::add(now, nth_, readers);
    return readers;
  }

  HwmonChip chip_;
  int nth_;
};

/// Chips that came later, or came back in another place.
class LateChipSource : public ReaderSource {
 public:
  LateChipSource(const fs::path& root, const std::vector<HwmonChip>& early) : ReaderSource("hwmon"), root_(root) {
    for (const HwmonChip& chip : early) early_.insert(place_of(chip));
  }

 private:
  using Place = std::tuple<std::string, std::string, std::string>;
  static Place place_of(const HwmonChip& chip) { return {chip.folder.string(), chip.name, chip.device}; }

  std::vector<Reader> find() override {
    std::vector<Reader> readers;
    std::map<std::string, int> seen;
    for (const HwmonChip& chip : hwmon_chips(root_)) {
      const int nth = ++seen[chip.name];
      if (!is_graphics_chip(chip.name) && !early_.contains(place_of(chip))) ChipReadings::add(chip, nth, readers);
    }
    return readers;
  }

  fs::path root_;
  std::set<Place> early_;
};

}  // namespace

Sources hwmon_sources(const fs::path& root) {
  Sources sources;
  std::map<std::string, int> seen;
  const auto chips = hwmon_chips(root);
  for (const HwmonChip& chip : chips) {
    const int nth = ++seen[chip.name];
    if (!is_graphics_chip(chip.name)) sources.push_back(std::make_unique<ChipSource>(chip, nth));
  }
  sources.push_back(std::make_unique<LateChipSource>(root, chips));
  return sources;
}

}  // namespace idlemeter::sources
