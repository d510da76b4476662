// Graphics cards through DRM sysfs and their hwmon chip, as the kernel's own drivers expose them
// (Documentation/gpu/amdgpu/thermal.rst, Documentation/ABI/testing/sysfs-driver-intel-i915-hwmon and neighbours).
#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <map>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/source.hpp"
#include "idlemeter/readings/units.hpp"
#include "sources/graphics/game_engines.hpp"
#include "sources/graphics/graphics_cards.hpp"
#include "sources/kernel/rate.hpp"
#include "sources/kernel/throttle.hpp"
#include "sources/machine/sources.hpp"
#include "sources/sensors/hwmon_chips.hpp"

namespace idlemeter::sources {
namespace {

/// A file of the card's device folder that is one reading.
struct CardFile {
  const char* file;
  const char* id;
  const char* title;  // after "GPU "
  const char* brief;
  Unit unit;
  double scale;
};

constexpr double kPerMebibyte = 1.0 / (1024 * 1024);

// More than one driver may have the same id; the first file that exists counts.
constexpr CardFile kFiles[] = {
    {"gpu_"
     "busy_percent",
     "load", "load", "GPU", Unit::percent, 1},
    {"mem_busy_percent", "memory.load", "memory controller load", "Mem load", Unit::percent, 1},
    {"mem_info_vram_used", "memory.used", "memory used", "VRAM", Unit::mebibyte, kPerMebibyte},
    {"mem_info_vram_total", "memory.total", "memory in all", "VRAM total", Unit::mebibyte, kPerMebibyte},
    {"mem_info_gtt_used", "shared.used", "memory borrowed from the system", "GTT", Unit::mebibyte, kPerMebibyte},
    {"tile0/gt0/freq0/act_freq", "clock", "core clock", "Core", Unit::megahertz, 1},
    {"current_link_width", "link.width", "link width, lanes", "Lanes", Unit::none, 1},
};

/// The same in the card's own folder (drm/card0), where the i915 driver has its files.
constexpr CardFile kCardFiles[] = {
    {"gt/gt0/rps_act_freq_mhz", "clock", "core clock", "Core", Unit::megahertz, 1},
    {"gt_act_freq_mhz", "clock", "core clock", "Core", Unit::megahertz, 1},
};

/// A channel of the card's hwmon chip, by its label if it has one, else by its number.
struct CardChannel {
  const char* prefix;
  int number;
  const char* label;
  const char* id;
  const char* title;
  const char* brief;
};

constexpr CardChannel kChannels[] = {
    {"temp", 0, "edge", "temp", "temperature", "GPU"},
    {"temp", 0, "pkg", "temp", "temperature", "GPU"},
    {"temp", 0, "junction", "hotspot.temp", "hotspot temperature", "Hotspot"},
    {"temp", 0, "mem", "memory.temp", "memory temperature", "VRAM"},
    {"temp", 0, "vram", "memory.temp", "memory temperature", "VRAM"},
    {"temp", 1, "", "temp", "temperature", "GPU"},
    {"freq", 0, "sclk", "clock", "core clock", "Core"},
    {"freq", 0, "mclk", "memory.clock", "memory clock", "Mem"},
    {"power", 1, nullptr, "power", "power", "GPU"},
    {"in", 0, nullptr, "voltage", "core voltage", "GPU"},
    {"fan", 1, nullptr, "fan.speed", "fan speed", "Fan"},
    {"fan", 2, nullptr, "fan2.speed", "second fan speed", "Fan 2"},
    {"pwm", 1, nullptr, "fan.duty", "fan duty", "Fan"},
};

std::optional<std::uint16_t> hex_file(const fs::path& file) {  // "0x1002"
  const FileText read = read_file(file);
  std::uint16_t value = 0;
  if (read.text.size() < 3) return std::nullopt;
  const auto [end, error] = std::from_chars(read.text.data() + 2, read.text.data() + read.text.size(), value, 16);
  return error == std::errc{} ? std::optional(value) : std::nullopt;
}

/// Integrated or not: what the driver says; else the northbridge voltage, which only processors with graphics have;
/// else the root bus, where chipset graphics sit.
bool is_integrated(const fs::path& device, const HwmonChip& chip, const std::string& slot) {
  const std::string board = read_file(device / "board_info").text;
  if (!board.empty()) return board.find("apu") != std::string::npos;
  if (chip.labelled("in", "vddnb") != nullptr) return true;
  return slot.starts_with("0000:00:");
}

HwmonChip chip_of(const fs::path& device) {
  const auto names = names_in(device / "hwmon");
  return names.empty() ? HwmonChip{} : hwmon_chip(device / "hwmon" / names.front());
}

GraphicsCard card_at(const fs::path& root, const fs::path& card) {
  GraphicsCard found;
  found.folder = card;
  const fs::path device = card / "device";
  std::error_code failed;
  found.slot = fs::canonical(device, failed).filename().string();
  found.driver = fs::canonical(device / "driver", failed).filename().string();
  const auto vendor = hex_file(device / "vendor"), model = hex_file(device / "device");
  found.name = read_file(device / "product_name").text;
  if (found.name.empty() && vendor && model) found.name = pci_device_name(root, *vendor, *model);
  if (found.name.empty()) found.name = fmt::format("Graphics card at {}", found.slot);
  found.integrated = is_integrated(device, chip_of(device), found.slot);
  found.memory = number(read_number(device / "mem_info_vram_total")).value_or(0);
  return found;
}

class GraphicsSource : public ReaderSource {
 public:
  GraphicsSource(const fs::path& root, GameProcess game)
      : ReaderSource("graphics"), root_(root), game_(std::move(game)) {}

 private:
  std::vector<Reader> find() override {
    if (game_.look()) forget_numbers();
    const auto cards = graphics_cards(root_);
    const std::size_t own = cards.empty() ? 0 : game_card(cards, root_, game_.pid());
    std::vector<Reader> readers;
    for (std::size_t i = 0; i < cards.size(); ++i) add(cards[i], CardNames(i, own, cards.size()), readers);
    return readers;
  }

  bool before_sample(Moment /*now*/) override { return !game_.changed(); }

  void add(const GraphicsCard& card, const CardNames& names, std::vector<Reader>& readers) {
    std::vector<Reader> found;
    const HwmonChip chip = chip_of(card.folder / "device");
    for (const CardFile& file : kFiles) add_file(card.folder / "device" / file.file, file, found);
    for (const CardChannel& wanted : kChannels) add_channel(chip, wanted, found);
    for (const CardFile& file : kCardFiles) add_file(card.folder / file.file, file, found);
    add_computed(card, chip, found);
    add_throttle(card.folder, found);
    const fs::path power = card.folder / "device/power/runtime_status";
    for (Reader& reader : found) {
      reader.read = [power, read = std::move(reader.read)](Moment now) -> Value {
        // To read its sensors would wake it.
        if (read_file(power).text == "suspended") return Missing{"the card sleeps, and is not woken for a reading"};
        return read(now);
      };
      names.give(reader.info);
      reader.info.device = card.name;
      reader.info.kind = DeviceKind::graphics;
      readers.push_back(std::move(reader));
    }
  }

  static bool has(const std::vector<Reader>& readers, std::string_view id) {
    return std::any_of(readers.begin(), readers.end(), [&](const Reader& reader) { return reader.info.id == id; });
  }

  static void add_file(const fs::path& path, const CardFile& file, std::vector<Reader>& readers) {
    std::error_code failed;
    if (has(readers, file.id) || !fs::exists(path, failed)) return;
    readers.push_back({{file.id, file.title, file.brief, "", DeviceKind::graphics, file.unit, path.string()},
                       [path, scale = file.scale](Moment) { return read_number(path, scale); }});
  }

  static void add_channel(const HwmonChip& chip, const CardChannel& wanted, std::vector<Reader>& readers) {
    if (has(readers, wanted.id)) return;
    const bool by_label = wanted.label != nullptr && *wanted.label != '\0';
    const HwmonChannel* channel =
        by_label ? chip.labelled(wanted.prefix, wanted.label) : chip.channel(wanted.prefix, wanted.number);
    if (channel == nullptr || (wanted.label != nullptr && !by_label && !channel->label.empty())) return;
    readers.push_back(hwmon_reader(*channel, wanted.id, wanted.title, wanted.brief, "", DeviceKind::graphics));
  }

  /// One file's number in percent of another's.
  static std::function<Value(Moment)> percent_of(const fs::path& part, const fs::path& whole, const char* no_whole) {
    return [part, whole, no_whole](Moment) -> Value {
      const Value now = read_number(part), most = read_number(whole);
      if (!number(now)) return now;
      if (!number(most) || *number(most) <= 0) return Missing{no_whole};
      return *number(now) * 100 / *number(most);
    };
  }

  /// What takes more than one file or more than one moment.
  void add_computed(const GraphicsCard& card, const HwmonChip& chip, std::vector<Reader>& readers) {
    const fs::path device = card.folder / "device";
    std::error_code failed;
    const auto info = [](const char* id, const char* title, const char* brief, Unit unit, const fs::path& path) {
      return ReadingInfo{id, title, brief, "", DeviceKind::graphics, unit, path.string()};
    };
    if (const fs::path cap = chip.folder / "power1_cap"; !chip.folder.empty() && fs::exists(cap, failed)) {
      readers.push_back({info("power.limit", "power limit", "Limit", Unit::watt, cap),
                         [cap](Moment) { return read_number(cap, 1e-6); }});
    }
    if (const HwmonChannel* energy = chip.channel("energy", 1); energy != nullptr && !has(readers, "power")) {
      readers.push_back({info("power", "power", "GPU", Unit::watt, energy->file), energy_reader(energy->file)});
    }
    if (const fs::path most = chip.folder / "fan1_max";
        !has(readers, "fan.duty") && chip.channel("fan", 1) != nullptr && fs::exists(most, failed)) {
      const fs::path speed =
          chip.channel("fan", 1)->file;  // rpm mean something else on every card: a share of the most it can do
      readers.push_back({info("fan.duty", "fan speed, share of its most", "Fan", Unit::percent, speed),
                         percent_of(speed, most, "the card doesn't report its highest speed")});
    }
    if (const fs::path total = device / "mem_info_vram_total"; fs::exists(total, failed)) {
      const fs::path used = device / "mem_info_vram_used";
      readers.push_back({info("memory.share", "memory used, share", "VRAM", Unit::percent, used),
                         percent_of(used, total, "the card has no memory of its own")});
    }
  }

  /// The first of the forms that the drivers have.
  static void add_throttle(const fs::path& card, std::vector<Reader>& readers) {
    std::error_code failed;
    const auto add_one = [&](const fs::path& path, auto read) {
      if (has(readers, "throttle") || !fs::exists(path, failed)) return;
      readers.push_back({{"throttle", "reason for a lower clock", "Throttle", "", DeviceKind::graphics, Unit::none,
                          path.string(), -1, true},
                         std::move(read)});
    };
    const fs::path amd = card / "device/gpu_metrics", i915 = card / "gt/gt0",
                   xe = card / "device/tile0/gt0/freq0/throttle";
    add_one(amd, [amd](Moment) { return amd_throttle(amd); });
    if (fs::exists(i915 / "throttle_reason_status", failed))
      add_one(i915, [i915](Moment) { return intel_throttle(i915, "throttle_reason_"); });
    add_one(xe, [xe](Moment) { return intel_throttle(xe, "reason_"); });
  }

  std::function<Value(Moment)> energy_reader(const fs::path& file) {
    return [&rate = rates_[file.string()], file](Moment now) { return file_rate(file, rate, now, 1e-6); };
  }

  fs::path root_;
  GameProcess game_;
  std::map<std::string, Rate> rates_;  // by file
};

}  // namespace

std::vector<GraphicsCard> graphics_cards(const fs::path& root) {
  std::vector<GraphicsCard> cards;
  const fs::path folder = root / "sys/class/drm";
  for (const std::string& name : names_in(folder)) {
    std::error_code failed;
    if (number_between(name, "card", "") && fs::exists(folder / name / "device", failed))
      cards.push_back(card_at(root, folder / name));
  }
  std::sort(cards.begin(), cards.end(), [](const GraphicsCard& a, const GraphicsCard& b) { return a.slot < b.slot; });
  return cards;
}

std::size_t game_card(const std::vector<GraphicsCard>& cards, const fs::path& root, int game) {
  const std::string slot = game > 0 ? game_engines(root / "proc" / fmt::format("{}", game) / "fdinfo").slot : "";
  const auto used =
      std::find_if(cards.begin(), cards.end(), [&](const GraphicsCard& card) { return card.slot == slot; });
  if (used != cards.end()) return static_cast<std::size_t>(used - cards.begin());
  const auto better = std::max_element(cards.begin(), cards.end(), [](const GraphicsCard& a, const GraphicsCard& b) {
    return std::tuple(!a.integrated, a.memory) < std::tuple(!b.integrated, b.memory);
  });
  return static_cast<std::size_t>(better - cards.begin());
}

CardNames::CardNames(std::size_t card, std::size_t game_card, std::size_t cards) {
  const std::string number = fmt::format("gpu{}", card);
  const bool is_game_card = card == game_card;
  id = is_game_card ? "gpu" : number;
  if (is_game_card && cards > 1) alias = number;
  title = is_game_card ? "GPU" : fmt::format("GPU {}", card);
}

void CardNames::give(ReadingInfo& info) const {
  if (!alias.empty()) info.alias = alias + "." + info.id;
  info.id = id + "." + info.id;
  info.title = title + " " + info.title;
}

std::unique_ptr<Source> graphics_source(const fs::path& root, GameProcess game) {
  return std::make_unique<GraphicsSource>(root, std::move(game));
}

}  // namespace idlemeter::sources
