// Every hwmon chip but those of graphics cards, under names that say what is measured.
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <map>
#include <set>
#include <tuple>

#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/source.hpp"
#include "sources/machine/sources.hpp"
#include "sources/sensors/hwmon_chips.hpp"

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

/// Under which numbers a chip's readings are: "nvme2" is the second of that name, package 1 the second processor.
struct ChipNumbers {
  int of_name = 1;
  int processor = 1;
};

bool is_processor(const HwmonChip& chip) {
  const auto& channels = chip.channels;
  return facts(chip.name).kind == DeviceKind::processor &&
         std::any_of(channels.begin(), channels.end(), [](const auto& channel) { return channel.prefix == "temp"; });
}

/// Gives each chip the first numbers that no other has: a chip's ids stay the same, whichever others come or go.
class ChipNumbering {
 public:
  ChipNumbers take(const HwmonChip& chip) {
    return {first_free(as_id(chip.name)), is_processor(chip) ? first_free(processors_of(chip)) : 1};
  }
  void keep(const HwmonChip& chip, ChipNumbers numbers) {
    taken_.insert({as_id(chip.name), numbers.of_name});
    if (is_processor(chip)) taken_.insert({processors_of(chip), numbers.processor});
  }
  [[nodiscard]] bool is_free(const HwmonChip& chip, ChipNumbers numbers) const {
    return !taken_.contains({as_id(chip.name), numbers.of_name}) &&
           !(is_processor(chip) && taken_.contains({processors_of(chip), numbers.processor}));
  }

 private:
  /// Of two drivers for one processor each may tell its temperature; of one driver's chips each is another processor.
  static std::string processors_of(const HwmonChip& chip) { return "processors by " + chip.name; }

  int first_free(const std::string& of) {
    int number = 1;
    while (!taken_.insert({of, number}).second) ++number;
    return number;
  }

  std::set<std::pair<std::string, int>> taken_;
};

/// The readings of one chip.
class ChipReadings {
 public:
  static void add(const HwmonChip& chip, ChipNumbers numbers, std::vector<Reader>& readers) {
    if (facts(chip.name).kind == DeviceKind::processor) add_processor(chip, numbers.processor - 1, readers);
    add_others(chip, numbers.of_name, readers);
  }

 private:
  static bool is_package(const HwmonChannel& channel) {
    return channel.label.starts_with("Package id") || channel.label == "Tdie" || channel.label == "Tctl";
  }

  /// The channel of the whole processor. Tdie rather than Tctl: some processors add an offset of 10 to 27 °C to Tctl,
  /// for their fans (Documentation/hwmon/k10temp.rst). A chip without either may have one without a label.
  static const HwmonChannel* package_of(const HwmonChip& chip) {
    const HwmonChannel* found = nullptr;
    for (const HwmonChannel& channel : chip.channels) {
      if (channel.prefix != "temp" || !(is_package(channel) || channel.label.empty())) continue;
      if (found == nullptr || (channel.label == "Tdie" && found->label == "Tctl")) found = &channel;
    }
    return found;
  }

  /// The package as cpu.temp, cores as cpu.core3.temp, chiplets as cpu.chiplet1.temp; of a board's second processor as
  /// cpu.package1.temp, cpu.package1.core3.temp and so on.
  static void add_processor(const HwmonChip& chip, int package_number, std::vector<Reader>& readers) {
    const HwmonChannel* const package = package_of(chip);
    const std::string part = package_number == 0 ? "" : fmt::format("package{}.", package_number);
    const std::string of = package_number == 0 ? "" : fmt::format(" of package {}", package_number);
    const auto add = [&](const HwmonChannel& channel, const std::string& id, const std::string& title,
                         std::string brief) {
      readers.push_back(
          hwmon_reader(channel, "cpu." + part + id, title + of, std::move(brief), "Processor", DeviceKind::processor));
    };
    for (const HwmonChannel& channel : chip.channels) {
      if (channel.prefix != "temp") continue;
      if (const auto core = number_between(channel.label, "Core ", "")) {
        add(channel, fmt::format("core{}.temp", *core), fmt::format("Core {} temperature", *core),
            fmt::format("C{}", *core));
      } else if (const auto chiplet = number_between(channel.label, "Tccd", "")) {
        add(channel, fmt::format("chiplet{}.temp", *chiplet), fmt::format("Processor chiplet {} temperature", *chiplet),
            fmt::format("CCD{}", *chiplet));
      } else if (&channel == package) {
        add(channel, "temp", "Processor temperature", "CPU");
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
  ChipSource(const HwmonChip& chip, ChipNumbers numbers)
      : ReaderSource(
            fmt::format("hwmon {}{}", chip.name, numbers.of_name > 1 ? fmt::format(" {}", numbers.of_name) : "")),
        chip_(chip),
        numbers_(numbers) {}

 private:
  std::vector<Reader> find() override {
    std::vector<Reader> readers;
    const HwmonChip now = hwmon_chip(chip_.folder);
    if (now.name == chip_.name && now.device == chip_.device) ChipReadings::add(now, numbers_, readers);
    return readers;
  }

  HwmonChip chip_;
  ChipNumbers numbers_;
};

/// Chips that came later, or came back in another place. A chip that comes back has the ids it had, if they are free.
class LateChipSource : public ReaderSource {
 public:
  LateChipSource(const fs::path& root, const std::vector<std::pair<HwmonChip, ChipNumbers>>& early)
      : ReaderSource("hwmon"), root_(root) {
    for (const auto& [chip, numbers] : early) {
      early_.emplace(place_of(chip), numbers);
      before_.emplace(std::pair(chip.name, chip.device), numbers);
    }
  }

 private:
  using Place = std::tuple<std::string, std::string, std::string>;
  static Place place_of(const HwmonChip& chip) { return {chip.folder.string(), chip.name, chip.device}; }

  std::vector<Reader> find() override {
    std::vector<HwmonChip> late;
    ChipNumbering numbering;
    for (HwmonChip& chip : hwmon_chips(root_)) {
      const auto early = early_.find(place_of(chip));
      if (early != early_.end()) numbering.keep(chip, early->second);
      if (early == early_.end() && !is_graphics_chip(chip.name)) late.push_back(std::move(chip));
    }
    std::map<std::pair<std::string, std::string>, ChipNumbers> now;
    const auto known = [&](const HwmonChip& chip) { return before_.find({chip.name, chip.device}); };
    // Those that had numbers first, so that a newcomer takes none of theirs.
    std::stable_partition(late.begin(), late.end(), [&](const auto& chip) { return known(chip) != before_.end(); });
    std::vector<Reader> readers;
    for (const HwmonChip& chip : late) {
      const auto had = known(chip);
      const bool again = had != before_.end() && numbering.is_free(chip, had->second);
      const ChipNumbers numbers = again ? had->second : numbering.take(chip);
      numbering.keep(chip, numbers);
      now.emplace(std::pair(chip.name, chip.device), numbers);
      ChipReadings::add(chip, numbers, readers);
    }
    for (auto& entry : now) before_.insert_or_assign(entry.first, entry.second);
    return readers;
  }

  fs::path root_;
  std::map<Place, ChipNumbers> early_;
  std::map<std::pair<std::string, std::string>, ChipNumbers> before_;  // by name and device: as many as a machine has
};

}  // namespace

Sources hwmon_sources(const fs::path& root) {
  Sources sources;
  ChipNumbering numbering;
  std::vector<std::pair<HwmonChip, ChipNumbers>> early;
  for (const HwmonChip& chip : hwmon_chips(root)) {
    if (is_graphics_chip(chip.name)) continue;
    const ChipNumbers numbers = numbering.take(chip);
    early.emplace_back(chip, numbers);
    sources.push_back(std::make_unique<ChipSource>(chip, numbers));
  }
  sources.push_back(std::make_unique<LateChipSource>(root, early));
  return sources;
}

}  // namespace idlemeter::sources
