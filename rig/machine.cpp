#include "machine.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

namespace idlemeter::rig {
namespace {

constexpr int kCores = 8;
constexpr double kRoom = 24;               // °C
constexpr double kMemory = 32768;          // MiB
constexpr double kGraphicsMemory = 12288;  // MiB
constexpr double kGraphicsClock = 2450;    // MHz at full boost
constexpr double kHotspotLimit = 95;       // °C: above it the clock goes down
constexpr const char* kCard = "sys/devices/pci0000:00/0000:00:01.0/0000:03:00.0";
constexpr const char* kChipset = "sys/devices/platform/nct6798.656";
constexpr const char* kThermal = "sys/devices/pci0000:00/0000:00:18.3";
constexpr const char* kDrive = "sys/devices/pci0000:00/0000:00:02.1/0000:04:00.0/nvme/nvme0";

/// Moves `value` towards `target` with the time constant `tau` (seconds): the exact step of a first-order lag.
void settle(double& value, double target, double seconds, double tau) {
  value += (target - value) * (1 - std::exp(-seconds / tau));
}

std::string whole(double value) { return fmt::format("{:.0f}", value); }

}  // namespace

Machine::Machine(std::uint64_t seed) : random_(seed), busy_ticks_(kCores, 5000), idle_ticks_(kCores, 400000) {
  state_.core_load.assign(kCores, 0.03);
  state_.core_clock.assign(kCores, 4800);
  state_.core_temp.assign(kCores, 38);
}

void Machine::advance(double seconds, const Demand& demand) {
  advance_processor(seconds, demand);
  advance_graphics(seconds, demand);
  settle(state_.memory_used, demand.memory_used * kMemory, seconds, 3);
}

void Machine::advance_processor(double seconds, const Demand& demand) {
  State& s = state_;
  std::normal_distribution<double> noise(0, 0.02);
  // One core runs the game's main thread, the others share its workers.
  const double rest = std::max(0.0, demand.processor * kCores - demand.busiest_core) / (kCores - 1);
  for (int core = 0; core < kCores; ++core) {
    const double load = std::clamp((core == 0 ? demand.busiest_core : rest) + noise(random_), 0.0, 1.0);
    s.core_load[core] = load;
    busy_ticks_[core] += 100 * seconds * load;
    idle_ticks_[core] += 100 * seconds * (1 - load);
    settle(s.core_clock[core], 4350 + 700 * (load > 0.5) - 250 * demand.processor, seconds, 0.4);
    settle(s.core_temp[core], s.cpu_temp + 9 * load - 2, seconds, 1);
  }
  const double load = std::accumulate(s.core_load.begin(), s.core_load.end(), 0.0) / kCores;
  settle(s.cpu_power, 16 + 105 * std::pow(load, 0.8), seconds, 0.3);
  settle(s.cpu_temp, kRoom + 10 + 0.42 * s.cpu_power, seconds, 9);
  s.cpu_clock = *std::max_element(s.core_clock.begin(), s.core_clock.end());
}

void Machine::advance_graphics(double seconds, const Demand& demand) {
  State& s = state_;
  s.gpu_load = demand.graphics;
  // Heat builds up over half a minute; past the limit the driver takes clock away, and gives it back below.
  s.throttled = s.gpu_hotspot > kHotspotLimit;
  const double step = seconds * 0.02;
  s.throttle = std::clamp(s.throttle + (s.throttled                         ? -step
                                        : s.gpu_hotspot < kHotspotLimit - 2 ? step / 2
                                                                            : 0),
                          0.8, 1.0);
  const double clock = demand.graphics > 0.1 ? kGraphicsClock * s.throttle : 500 + 3000 * demand.graphics;
  settle(s.gpu_clock, clock, seconds, 0.2);
  settle(s.gpu_memory_clock, demand.graphics > 0.1 ? 1250 : 96, seconds, 0.1);
  const double speed = s.gpu_clock / kGraphicsClock;
  settle(s.gpu_voltage, 0.70 + 0.38 * speed, seconds, 0.1);
  settle(s.gpu_power, 14 + 236 * demand.graphics * speed * speed * speed, seconds, 0.3);
  const double duty = std::clamp((s.gpu_temp - 48) / 40, 0.0, 1.0);
  settle(s.gpu_duty, duty < 0.02 ? 0 : 25 + 60 * duty, seconds, 4);
  s.gpu_fan = s.gpu_duty * 33;
  settle(s.gpu_temp, kRoom + 8 + s.gpu_power * (0.255 - 0.0006 * s.gpu_duty), seconds, 26);
  settle(s.gpu_hotspot, s.gpu_temp + 3 + s.gpu_power * 0.078, seconds, 1.5);
  settle(s.gpu_memory_temp, s.gpu_temp + 4 + s.gpu_power * 0.04, seconds, 12);
  settle(s.gpu_memory_used, demand.graphics_memory * kGraphicsMemory, seconds, 2);
}

void Machine::write(Tree& tree) {
  write_processor(tree);
  write_graphics(tree);
  write_board(tree);
}

void Machine::write_processor(Tree& tree) {
  std::string per_core, info;
  double busy = 0, idle = 0;
  for (int core = 0; core < kCores; ++core) {
    busy += busy_ticks_[core];
    idle += idle_ticks_[core];
    per_core += fmt::format("cpu{} {:.0f} 0 {:.0f} {:.0f} 0 0 0 0 0 0\n", core, busy_ticks_[core] * 0.85,
                            busy_ticks_[core] * 0.15, idle_ticks_[core]);
    info +=
        fmt::format("processor\t: {}\nmodel name\t: Corvid 8\ncpu MHz\t\t: {:.3f}\n\n", core, state_.core_clock[core]);
    tree.set(fmt::format("sys/devices/system/cpu/cpu{}/cpufreq/scaling_cur_freq", core),
             whole(state_.core_clock[core] * 1e3));
  }
  tree.set("proc/stat", fmt::format("cpu  {:.0f} 0 {:.0f} {:.0f} 0 0 0 0 0 0\n{}ctxt 1990473\nbtime 1772395200",
                                    busy * 0.85, busy * 0.15, idle, per_core));
  tree.set("proc/cpuinfo", info);
  tree.link("sys/class/hwmon/hwmon0", fmt::format("{}/hwmon/hwmon0", kThermal));
  const std::string chip = fmt::format("{}/hwmon/hwmon0/", kThermal);
  tree.link(chip + "device", kThermal);
  tree.set(chip + "name", "k10temp");
  tree.set(chip + "temp1_label", "Tctl");
  tree.set(chip + "temp1_input", whole(state_.cpu_temp * 1e3));
  tree.set(chip + "temp3_label", "Tccd1");
  tree.set(chip + "temp3_input", whole(state_.core_temp[0] * 1e3));
  tree.set("proc/meminfo",
           fmt::format("MemTotal:       {:.0f} kB\nMemFree:        {:.0f} kB\nMemAvailable:   {:.0f} kB\n"
                       "Cached:         {:.0f} kB\nSwapTotal:      {} kB\nSwapFree:       {} kB",
                       kMemory * 1024, (kMemory - state_.memory_used) * 800, (kMemory - state_.memory_used) * 1024,
                       (kMemory - state_.memory_used) * 200, 8388608, 8380416));
}

void Machine::write_graphics(Tree& tree) const {
  const std::string card = std::string(kCard) + "/";
  tree.link("sys/class/drm/card0", card + "drm/card0");
  tree.link(card + "drm/card0/device", kCard);
  tree.link(card + "driver", "sys/bus/pci/drivers/amdgpu");
  tree.set("sys/bus/pci/drivers/amdgpu/uevent", "");
  tree.set(card + "product_name", "Marl G9");
  tree.set(card + "board_info", "type : cem");
  tree.set(card +
               "gpu_"
               "busy_percent",
           whole(state_.gpu_load * 100));
  tree.set(card + "mem_busy_percent", whole(state_.gpu_load * 58));
  tree.set(card + "mem_info_vram_total", whole(kGraphicsMemory * 1048576));
  tree.set(card + "mem_info_vram_used", whole(state_.gpu_memory_used * 1048576));
  tree.set(card + "current_link_width", "16");
  tree.link("sys/class/hwmon/hwmon1", card + "hwmon/hwmon1");
  const std::string chip = card + "hwmon/hwmon1/";
  tree.link(chip + "device", kCard);
  tree.set(chip + "name", "amdgpu");
  const auto channel = [&](const char* name, const char* label, double value) {
    if (*label != '\0') tree.set(chip + std::string(name).substr(0, std::string(name).find('_')) + "_label", label);
    tree.set(chip + name, whole(value));
  };
  channel("temp1_input", "edge", state_.gpu_temp * 1e3);
  channel("temp2_input", "junction", state_.gpu_hotspot * 1e3);
  channel("temp3_input", "mem", state_.gpu_memory_temp * 1e3);
  channel("freq1_input", "sclk", state_.gpu_clock * 1e6);
  channel("freq2_input", "mclk", state_.gpu_memory_clock * 1e6);
  channel("power1_average", "PPT", state_.gpu_power * 1e6);
  channel("power1_cap", "PPT", 260e6);
  channel("in0_input", "vddgfx", state_.gpu_voltage * 1e3);
  channel("fan1_input", "", state_.gpu_fan);
  channel("pwm1", "", state_.gpu_duty * 2.55);
}

void Machine::write_board(Tree& tree) const {
  tree.link("sys/class/hwmon/hwmon2", fmt::format("{}/hwmon/hwmon2", kChipset));
  const std::string chip = fmt::format("{}/hwmon/hwmon2/", kChipset);
  tree.link(chip + "device", kChipset);
  tree.set(chip + "name", "nct6798");
  tree.set(chip + "temp1_label", "SYSTIN");
  tree.set(chip + "temp1_input", whole((kRoom + 9) * 1e3));
  tree.set(chip + "fan1_label", "CPU fan");
  tree.set(chip + "fan1_input", whole(620 + 14 * std::max(0.0, state_.cpu_temp - 40)));
  tree.set(chip + "fan2_input", "810");
  tree.set(chip + "in0_label", "Vcore");
  tree.set(chip + "in0_input", whole(1000 + state_.cpu_clock / 20));
  tree.link("sys/class/hwmon/hwmon3", fmt::format("{}/hwmon3", kDrive));
  const std::string drive = fmt::format("{}/hwmon3/", kDrive);
  tree.link(drive + "device", kDrive);
  tree.set(drive + "name", "nvme");
  tree.set(drive + "temp1_label", "Composite");
  tree.set(drive + "temp1_input", "43850");
}

}  // namespace idlemeter::rig
