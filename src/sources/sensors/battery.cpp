// /sys/class/power_supply (Documentation/ABI/testing/sysfs-class-power): the machine's own batteries.
#include <fmt/format.h>

#include <cmath>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/source.hpp"
#include "idlemeter/readings/units.hpp"
#include "sources/kernel/reader_source.hpp"
#include "sources/machine/sources.hpp"

namespace idlemeter::sources {
namespace {

/// What a battery says now: energies in Wh, power in W, never negative.
struct Battery {
  std::optional<double> now, full, power;
  std::string state;  // "Discharging"

  [[nodiscard]] bool drains() const { return state == "Discharging"; }
  [[nodiscard]] bool charges() const { return state == "Charging"; }
};

std::optional<double> micro(const fs::path& file) {
  const auto value = number(read_number(file, 1e-6));
  return value ? std::optional(std::abs(*value)) : std::nullopt;  // some drivers sign the current, others don't
}

/// Some batteries count energy, others charge, which the voltage turns into energy.
Battery read_battery(const fs::path& folder) {
  Battery battery{micro(folder / "energy_now"), micro(folder / "energy_full"), micro(folder / "power_now"),
                  read_file(folder / "status").text};
  const auto volt = micro(folder / "voltage_now");
  const auto by_voltage = [&](const char* file) -> std::optional<double> {
    const auto value = micro(folder / file);
    return value && volt ? std::optional(*value * *volt) : std::nullopt;
  };
  if (!battery.now) battery.now = by_voltage("charge_now");
  if (!battery.full) battery.full = by_voltage("charge_full");
  if (!battery.power) battery.power = by_voltage("current_now");
  return battery;
}

/// Minutes until empty or full.
Value time_left(const Battery& battery) {
  constexpr double kLeastPower = 0.1;  // W; below, the time is a guess of days
  if (!battery.drains() && !battery.charges())
    return Missing{fmt::format("neither charging nor draining ({})", battery.state)};
  if (!battery.now || !battery.full || !battery.power) return Missing{"the battery reports no energy or no power"};
  if (*battery.power < kLeastPower) return Missing{"next to no power flows"};
  const double energy = battery.drains() ? *battery.now : std::max(0.0, *battery.full - *battery.now);
  return energy / *battery.power * 60;
}

Value signed_power(const Battery& battery) {
  if (!battery.power) return Missing{"the battery reports no power"};
  return battery.drains() ? -*battery.power : *battery.power;
}

class BatterySource : public ReaderSource {
 public:
  explicit BatterySource(const fs::path& root) : ReaderSource("battery"), folder_(root / "sys/class/power_supply") {}

 private:
  /// The machine's own, not those of a mouse or a headset.
  static bool is_own(const fs::path& folder) {
    return read_file(folder / "type").text == "Battery" && read_file(folder / "scope").text != "Device";
  }

  std::vector<Reader> find() override {
    std::vector<Reader> readers;
    int nth = 0;
    for (const std::string& name : names_in(folder_)) {
      if (is_own(folder_ / name)) add(readers, folder_ / name, ++nth);
    }
    return readers;
  }

  static void add(std::vector<Reader>& readers, const fs::path& folder, int nth) {
    const std::string number = nth > 1 ? fmt::format("{}", nth) : "";
    const auto add_one = [&](const char* id, const char* title, const char* brief, Unit unit, const char* file,
                             auto read) {
      readers.push_back(
          {{fmt::format("battery{}.{}", number, id), fmt::format("Battery{}{} {}", nth > 1 ? " " : "", number, title),
            brief, fmt::format("Battery ({})", folder.filename().string()), DeviceKind::battery, unit,
            (folder / file).string()},
           std::move(read)});
    };
    add_one("charge", "charge", "Battery", Unit::percent, "capacity",
            [folder](Moment) { return read_number(folder / "capacity"); });
    add_one("power", "power, negative while it drains", "Battery", Unit::watt, "power_now",
            [folder](Moment) { return signed_power(read_battery(folder)); });
    add_one("left", "time until it is empty, or full while it charges", "Left", Unit::minute, "energy_now",
            [folder](Moment) { return time_left(read_battery(folder)); });
    add_one("state", "state", "Battery", Unit::none, "status", [folder](Moment) -> Value {
      const FileText text = read_file(folder / "status");
      return text.ok() ? Value(text.text) : Value(cannot_read(folder / "status", text.error));
    });
    readers.back().info.text = true;
  }

  fs::path folder_;
};

}  // namespace

std::unique_ptr<Source> battery_source(const fs::path& root) { return std::make_unique<BatterySource>(root); }

}  // namespace idlemeter::sources
