#include "machine.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <cmath>
#include <numeric>

#include "idlemeter/base/error.hpp"

namespace idlemeter::rig {
namespace {

constexpr double kRoom = 24;                      // °C
constexpr double kGraphicsClock = 2450;           // MHz at full boost
constexpr double kHotspotLimit = 95;              // °C: above it the clock goes down
constexpr double kBatteryCapacity = 60;           // Wh
constexpr double kEnergyRange = 262'143'328'850;  // µJ at which the processor's counter starts again

constexpr std::array kSpecs = {
    Spec{.kind = "desktop", .name = "Bramble", .processor = "Corvid 8", .graphics = "Marl G9", .integrated = "Marl I2"},
    Spec{.kind = "laptop",
         .name = "Sedge",
         .processor = "Corvid 8M",
         .memory = 16384,
         .graphics = "Marl G7M",
         .graphics_memory = 8192,
         .processor_power = 54,
         .graphics_power = 105,
         .speed = 0.72,
         .integrated = "Marl I3",
         .battery = true},
    Spec{.kind = "handheld",
         .name = "Minnow",
         .processor = "Corvid 4Z",
         .cores = 4,
         .memory = 16384,
         .graphics = "Marl I3",
         .graphics_memory = 4096,
         .processor_power = 12,
         .graphics_power = 16,
         .speed = 0.34,
         .apu = true,
         .battery = true},
    Spec{.kind = "proprietary",
         .name = "Heron",
         .processor = "Corvid 12",
         .cores = 12,
         .graphics = "Siltstone 40",
         .graphics_memory = 16384,
         .processor_power = 125,
         .graphics_power = 300,
         .speed = 1.2,
         .proprietary = true},
    Spec{.kind = "hot",
         .name = "Nettle",
         .processor = "Corvid 8",
         .graphics = "Marl G9",
         .integrated = "Marl I2",
         .fans_stand = true},
    Spec{.kind = "bare",
         .name = "Reed",
         .processor = "Corvid virtual",
         .cores = 2,
         .memory = 4096,
         .speed = 0.2,
         .bare = true},
};

/// Moves `value` towards `target` with the time constant `tau` (seconds): the exact step of a first-order lag.
void settle(double& value, double target, double seconds, double tau) {
  value += (target - value) * (1 - std::exp(-seconds / tau));
}

bool same_word(std::string_view a, std::string_view b) {
  return std::equal(a.begin(), a.end(), b.begin(), b.end(), [](char x, char y) {
    return std::tolower(static_cast<unsigned char>(x)) == std::tolower(static_cast<unsigned char>(y));
  });
}

}  // namespace

std::span<const Spec> specs() { return kSpecs; }

const Spec& spec_of(std::string_view kind) {
  for (const Spec& spec : kSpecs) {
    if (same_word(kind, spec.kind) || same_word(kind, spec.name)) return spec;
  }
  std::vector<std::string_view> kinds;
  for (const Spec& spec : kSpecs) kinds.push_back(spec.kind);
  throw Error(Error::Code::not_found, fmt::format("there is no simulated machine '{}'", kind), "",
              fmt::format("it is one of {}", fmt::join(kinds, ", ")));
}

Machine::Machine(const Spec& spec, std::uint64_t seed) : spec_(spec), cooler_(!spec.fans_stand), random_(seed) {
  const auto cores = static_cast<std::size_t>(spec.cores);
  state_.core_load.assign(cores, 0.03);
  state_.core_clock.assign(cores, 4800);
  state_.core_temp.assign(cores, 38);
  state_.busy_ticks.assign(cores, 5'000);
  state_.idle_ticks.assign(cores, 400'000);
}

void Machine::advance(double seconds, const Demand& demand) {
  advance_processor(seconds, demand);
  advance_graphics(seconds, demand);
  advance_counters(seconds, demand);
  settle(state_.memory_used, demand.memory_used * spec_.memory, seconds, 3);
}

void Machine::advance_core(std::size_t core, double load, double all, double seconds) {
  State& s = state_;
  s.core_load[core] = load;
  s.busy_ticks[core] += 100 * seconds * load;
  s.idle_ticks[core] += 100 * seconds * (1 - load);
  settle(s.core_clock[core], 4350 + 700 * (load > 0.5) - 250 * all, seconds, 0.4);
  settle(s.core_temp[core], s.cpu_temp + 9 * load - 2, seconds, 1);
}

void Machine::advance_processor(double seconds, const Demand& demand) {
  State& s = state_;
  std::normal_distribution<double> noise(0, 0.02);
  const auto cores = static_cast<double>(spec_.cores);
  // One core runs the game's main thread, the others share its workers.
  const double rest = std::max(0.0, demand.processor * cores - demand.busiest_core) / (cores - 1);
  for (std::size_t core = 0; core < s.core_load.size(); ++core) {
    const double load = std::clamp((core == 0 ? demand.busiest_core : rest) + noise(random_), 0.0, 1.0);
    advance_core(core, load, demand.processor, seconds);
  }
  const double load = std::accumulate(s.core_load.begin(), s.core_load.end(), 0.0) / cores;
  settle(s.cpu_power, spec_.processor_power * (0.15 + std::pow(load, 0.8)), seconds, 0.3);
  settle(s.cpu_temp, kRoom + 10 + 44 * s.cpu_power / spec_.processor_power, seconds, 9);
  s.cpu_clock = *std::max_element(s.core_clock.begin(), s.core_clock.end());
}

void Machine::advance_graphics(double seconds, const Demand& demand) {
  State& s = state_;
  s.gpu_load = demand.graphics;
  // Heat builds up over half a minute; past the limit the driver takes clock away, and gives it back below.
  const bool hot = s.gpu_hotspot > kHotspotLimit;
  const double step = seconds * 0.02;
  s.throttle = std::clamp(s.throttle + (hot                                 ? -step
                                        : s.gpu_hotspot < kHotspotLimit - 2 ? step / 2
                                                                            : 0),
                          cooler_ ? 0.8 : 0.45, 1.0);
  const double clock = demand.graphics > 0.1 ? kGraphicsClock * s.throttle : 500 + 3000 * demand.graphics;
  settle(s.gpu_clock, clock, seconds, 0.2);
  settle(s.gpu_memory_clock, demand.graphics > 0.1 ? 1250 : 96, seconds, 0.1);
  const double speed = s.gpu_clock / kGraphicsClock;
  settle(s.gpu_voltage, 0.70 + 0.38 * speed, seconds, 0.1);
  settle(s.gpu_power, spec_.graphics_power * (0.06 + demand.graphics * speed * speed * speed), seconds, 0.3);
  const double heat = s.gpu_power / spec_.graphics_power;  // coolers are as large as their cards
  const double duty = std::clamp((s.gpu_temp - 48) / 40, 0.0, 1.0);
  settle(s.gpu_duty, duty < 0.02 || !cooler_ ? 0 : 25 + 60 * duty, seconds, 4);
  s.gpu_fan = s.gpu_duty * 33;
  settle(s.gpu_temp, kRoom + 8 + heat * (60.2 - 0.142 * s.gpu_duty), seconds, 26);
  settle(s.gpu_hotspot, s.gpu_temp + 3 + heat * 18.4, seconds, 1.5);
  settle(s.gpu_memory_temp, s.gpu_temp + 4 + heat * 9.4, seconds, 12);
  settle(s.gpu_memory_used, demand.graphics_memory * spec_.graphics_memory, seconds, 2);
}

void Machine::advance_counters(double seconds, const Demand& demand) {
  State& s = state_;
  s.processor_energy = std::fmod(s.processor_energy + s.cpu_power * seconds * 1e6, kEnergyRange);
  s.disk_read += demand.reads * 1e6 / 512 * seconds;
  s.disk_written += 0.4e6 / 512 * seconds;
  s.disk_busy += 1000 * seconds * std::min(1.0, 0.01 + demand.reads / 900);
  s.received += 61'000 * seconds;
  s.sent += 17'000 * seconds;
  s.waited_processor += 1e6 * seconds * 0.04 * demand.busiest_core;
  s.waited_disk += 1e6 * seconds * std::min(0.3, demand.reads / 1500);
  s.game_ticks += 100 * seconds * demand.processor * spec_.cores * 0.9;
  s.game_faults += std::max(0.0, demand.reads - 20) * 30 * seconds;
  s.game_read += demand.reads * 1e6 * seconds;
  s.game_engine += 1e9 * seconds * demand.graphics * 0.97;
  advance_battery(seconds);
}

void Machine::advance_battery(double seconds) {
  State& s = state_;
  const double drain = 4 + (spec_.apu ? s.gpu_power : 0.3 * s.gpu_power) + s.cpu_power;
  settle(s.battery_power, drain, seconds, 1);
  s.battery = std::max(0.05, s.battery - s.battery_power * seconds / 3600 / kBatteryCapacity);
}

}  // namespace idlemeter::rig
