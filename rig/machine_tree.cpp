#include "machine_tree.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace idlemeter::rig {
namespace {

std::string whole(double value) { return fmt::format("{:.0f}", value); }

/// One chip of hwmon at its device.
class Chip {
 public:
  Chip(Tree& tree, int number, const std::string& device, const char* name)
      : tree_(tree), folder_(fmt::format("{}/hwmon/hwmon{}/", device, number)) {
    tree.link(fmt::format("sys/class/hwmon/hwmon{}", number), folder_.substr(0, folder_.size() - 1));
    tree.link(folder_ + "device", device);
    tree.set(folder_ + "name", name);
  }

  /// "temp1" with its label, "fan1" without; `value` as the file has it.
  Chip& channel(const std::string& name, const char* label, double value, const char* suffix = "_input") {
    if (*label != '\0') tree_.set(folder_ + name + "_label", label);
    tree_.set(folder_ + name + suffix, whole(value));
    return *this;
  }

 private:
  Tree& tree_;
  std::string folder_;
};

/// Writes one machine, part by part.
class Writer {
 public:
  Writer(const Machine& machine, Tree& tree) : spec_(machine.spec()), s_(machine.state()), tree_(tree) {}

  void run() {
    processor();
    memory();
    disk_and_network();
    game();
    if (spec_.bare) return;
    sensors();
    graphics();
    if (spec_.battery) battery();
  }

 private:
  void processor() {
    std::string per_core, info;
    double busy = 0, idle = 0;
    for (std::size_t core = 0; core < s_.core_load.size(); ++core) {
      busy += s_.busy_ticks[core];
      idle += s_.idle_ticks[core];
      per_core += line_of(fmt::format("cpu{}", core), s_.busy_ticks[core], s_.idle_ticks[core]) + "\n";
      info += fmt::format("processor\t: {}\nmodel name\t: {}\n", core, spec_.processor);
      info += spec_.bare ? "\n" : fmt::format("cpu MHz\t\t: {:.3f}\n\n", s_.core_clock[core]);
      if (spec_.bare) continue;
      tree_.set(fmt::format("sys/devices/system/cpu/cpu{}/cpufreq/scaling_cur_freq", core),
                whole(s_.core_clock[core] * 1e3));
    }
    if (!spec_.bare) {
      tree_.set("sys/devices/system/cpu/cpufreq/policy0/scaling_governor", "performance");
      tree_.set("sys/devices/system/cpu/cpufreq/policy0/energy_performance_preference", "performance");
      tree_.set("sys/firmware/acpi/platform_profile", "balanced");
    }
    tree_.set("proc/stat", line_of("cpu ", busy, idle) + "\n" + per_core + "ctxt 1990473\nbtime 1772395200");
    tree_.set("proc/cpuinfo", info);
    tree_.set("proc/version", "Linux version 6.12.9-rig (made up) #1 SMP PREEMPT_DYNAMIC");
    pressure("cpu", s_.waited_processor);
    pressure("memory", 2'000);
    pressure("io", s_.waited_disk);
  }

  static std::string line_of(const std::string& name, double busy, double idle) {
    return fmt::format("{} {:.0f} 0 {:.0f} {:.0f} 0 0 0 0 0 0", name, busy * 0.85, busy * 0.15, idle);
  }

  void pressure(const char* what, double total) {
    tree_.set(fmt::format("proc/pressure/{}", what),
              fmt::format("some avg10=0.00 avg60=0.00 avg300=0.00 total={:.0f}", total));
  }

  void memory() {
    const double free = spec_.memory - s_.memory_used;
    tree_.set("proc/meminfo", fmt::format("MemTotal:       {:.0f} kB\nMemFree:        {:.0f} kB\nMemAvailable:   "
                                          "{:.0f} kB\nCached:         {:.0f} kB\n"
                                          "SwapTotal:      {} kB\nSwapFree:       {} kB",
                                          spec_.memory * 1024, free * 800, free * 1024, free * 200,
                                          spec_.bare ? 0 : 8388608, spec_.bare ? 0 : 8380416));
    if (!spec_.bare) memory_modules();
  }

  /// Two modules as the firmware reports them.
  void memory_modules() {
    std::string module(0x22, '\0');
    const int size = static_cast<int>(spec_.memory / 2), speed = spec_.battery ? 5600 : 6000;
    const auto word = [&](std::size_t at, int value) {
      module[at] = static_cast<char>(value & 0xff);
      module[at + 1] = static_cast<char>(value >> 8);
    };
    module[0] = 17;
    module[1] = static_cast<char>(module.size());
    word(0x0C, size);
    module[0x12] = static_cast<char>(spec_.apu ? 0x23 : 0x22);
    word(0x15, speed + 400);
    word(0x20, speed);
    const std::string end("DIMM\0\0", 6);
    tree_.set("sys/firmware/dmi/tables/DMI", module + end + module + end + std::string("\x7f\x04\0\0\0\0", 6));
  }

  void disk_and_network() {
    const std::string disk = spec_.bare ? "vda" : "nvme0n1";
    tree_.set("proc/diskstats", fmt::format(" 259       0 {} 91000 120 {:.0f} 8000 60000 90 {:.0f} 9000 0 {:.0f} 17000",
                                            disk, s_.disk_read, s_.disk_written, s_.disk_busy));
    tree_.set("sys/block/" + disk + "/size", "2000409264");
    if (!spec_.bare) tree_.set("sys/block/" + disk + "/device/model", "Pebble P2");
    const std::string net = fmt::format("sys/class/net/{}/statistics/", spec_.bare      ? "eth0"
                                                                        : spec_.battery ? "wlp2s0"
                                                                                        : "enp5s0");
    tree_.set(net + "rx_bytes", whole(s_.received));
    tree_.set(net + "tx_bytes", whole(s_.sent));
  }

  void game() {
    const std::string process = fmt::format("proc/{}/", kGameProcess);
    tree_.set(process + "comm", "tidepool-rally");
    tree_.set(
        process + "stat",
        fmt::format("{} (tidepool-rally) S 1 1 1 0 -1 4194560 900 0 {:.0f} 0 {:.0f} {:.0f} 0 0 20 0 38 0 77000 0 0",
                    kGameProcess, s_.game_faults, s_.game_ticks * 0.88, s_.game_ticks * 0.12));
    tree_.set(process + "status",
              fmt::format("Name:\ttidepool-rally\nVmRSS:\t {:.0f} kB\nThreads:\t38", s_.memory_used * 0.55 * 1024));
    tree_.set(process + "io", fmt::format("rchar: 1\nread_bytes: {:.0f}\nwrite_bytes: 4096000", s_.game_read));
    if (!spec_.graphics.empty() && !spec_.proprietary) game_engines(process);
  }

  void game_engines(const std::string& process) {
    tree_.set(process + "fdinfo/19",
              fmt::format("pos:\t0\ndrm-driver:\tamdgpu\ndrm-client-id:\t41\ndrm-pdev:\t{}\ndrm-memory-vram:\t{:.0f} "
                          "KiB\ndrm-engine-gfx:\t{:.0f} ns\n"
                          "drm-engine-compute:\t{:.0f} ns",
                          kSlot, s_.gpu_memory_used * 0.9 * 1024, s_.game_engine, s_.game_engine * 0.04));
  }

  void sensors() {
    const std::string thermal = "sys/devices/pci0000:00/0000:00:18.3", platform = "sys/devices/platform/",
                      drive = "sys/devices/pci0000:00/0000:04:00.0/nvme/nvme0";
    Chip(tree_, 0, thermal, "k10temp")
        .channel("temp1", "Tctl", s_.cpu_temp * 1e3)
        .channel("temp3", "Tccd1", s_.core_temp[0] * 1e3);
    Chip(tree_, 3, drive, "nvme").channel("temp1", "Composite", 41'850 + (s_.disk_busy - 90'000) / 20);
    const double fan = 620 + 14 * std::max(0.0, s_.cpu_temp - 40);
    if (spec_.battery) {
      Chip(tree_, 2, platform + "sedge-ec", "sedge_ec")
          .channel("fan1", "System fan", fan * 4)
          .channel("temp1", "Skin", (24 + s_.gpu_power / 12) * 1e3);
    } else {
      Chip(tree_, 2, platform + "nct6798.656", "nct6798")
          .channel("temp1", "SYSTIN", 33'000)
          .channel("temp7", "Coolant", (26 + s_.cpu_power / 14) * 1e3)
          .channel("fan1", "CPU fan", fan)
          .channel("fan2", "", 810)
          .channel("in0", "Vcore", 1000 + s_.cpu_clock / 20)
          .channel("pwm1", "", 90 + s_.cpu_temp, "");
    }
    tree_.set("sys/class/thermal/thermal_zone0/type", "acpitz");
    tree_.set("sys/class/thermal/thermal_zone0/temp", whole((s_.cpu_temp - 6) * 1e3));
    tree_.set("sys/class/powercap/intel-rapl:0/name", "package-0");
    tree_.set("sys/class/powercap/intel-rapl:0/max_energy_range_uj", "262143328850");
    tree_.set("sys/class/powercap/intel-rapl:0/energy_uj", whole(s_.processor_energy));
  }

  void graphics() {
    tree_.set("sys/bus/pci/drivers/amdgpu/uevent", "");
    if (spec_.proprietary) {
      managed_card();
    } else {
      kernel_card();
    }
    if (!spec_.integrated.empty()) integrated_card();
  }

  std::string card(int number, const std::string& slot, const char* driver) {
    const std::string device = "sys/devices/pci0000:00/0000:00:01.0/" + slot;
    tree_.link(fmt::format("sys/class/drm/card{}", number), fmt::format("{}/drm/card{}", device, number));
    tree_.link(fmt::format("{}/drm/card{}/device", device, number), device);
    tree_.link(device + "/driver", fmt::format("sys/bus/pci/drivers/{}", driver));
    tree_.set(device + "/vendor", "0x1d1e");
    tree_.set(device + "/power/runtime_status", "active");
    tree_.set("usr/share/misc/pci.ids",
              "# made up\n1d1e  Marl Graphics\n\t0900  Heron 4 [Marl G9]\n\t0700  Heron 3 [Marl G7M]\n\t0030  Finch 3 "
              "[Marl I3]\n\t0020  Finch 2 [Marl I2]\n"
              "\t4000  Basin [Siltstone 40]");
    return device;
  }

  static const char* model_of(std::string_view name) {
    return name == "Marl G9"    ? "0x0900"
           : name == "Marl G7M" ? "0x0700"
           : name == "Marl I3"  ? "0x0030"
           : name == "Marl I2"  ? "0x0020"
                                : "0x4000";
  }

  void kernel_card() {
    const std::string device = card(0, kSlot, "amdgpu");
    tree_.set(device + "/device", model_of(spec_.graphics));
    tree_.set(device + "/board_info", spec_.apu ? "type : apu" : "type : cem");
    tree_.set(device +
                  "/gpu_"
                  "busy_percent",
              whole(s_.gpu_load * 100));
    tree_.set(device + "/mem_busy_percent", whole(s_.gpu_load * 58));
    tree_.set(device + "/mem_info_vram_total", whole(spec_.graphics_memory * 1048576));
    tree_.set(device + "/mem_info_vram_used", whole(s_.gpu_memory_used * 1048576));
    if (!spec_.apu) tree_.set(device + "/current_link_width", "16");
    Chip chip(tree_, 1, device, "amdgpu");
    chip.channel("temp1", "edge", s_.gpu_temp * 1e3)
        .channel("freq1", "sclk", s_.gpu_clock * 1e6)
        .channel("in0", "vddgfx", s_.gpu_voltage * 1e3);
    chip.channel("power1", "PPT", s_.gpu_power * 1e6, "_average")
        .channel("power1", "PPT", spec_.graphics_power * 1.1 * 1e6, "_cap");
    tree_.set(device + "/gpu_metrics", gpu_metrics());
    if (spec_.apu) return;
    chip.channel("temp2", "junction", s_.gpu_hotspot * 1e3).channel("temp3", "mem", s_.gpu_memory_temp * 1e3);
    chip.channel("freq2", "mclk", s_.gpu_memory_clock * 1e6)
        .channel("fan1", "", s_.gpu_fan)
        .channel("pwm1", "", s_.gpu_duty * 2.55, "");
  }

  /// The driver's table in its version 1.3, with nothing in it but the reasons for a lower clock: the hotspot.
  [[nodiscard]] std::string gpu_metrics() const {
    std::string table(120, '\0');
    table[0] = 120;
    table[2] = 1;
    table[3] = 3;
    if (s_.throttle < 1) table[112 + 36 / 8] = 1 << 36 % 8;
    return table;
  }

  /// Drives the desktop, and nothing else.
  void integrated_card() {
    const std::string device = card(1, "0000:0e:00.0", "amdgpu");
    tree_.set(device + "/device", model_of(spec_.integrated));
    tree_.set(device + "/board_info", "type : apu");
    tree_.set(device +
                  "/gpu_"
                  "busy_percent",
              whole(3 + 4 * s_.core_load[0]));
    tree_.set(device + "/mem_info_vram_total", whole(512.0 * 1048576));
    tree_.set(device + "/mem_info_vram_used", whole(61.0 * 1048576));
    Chip(tree_, 4, device, "amdgpu")
        .channel("temp1", "edge", (s_.cpu_temp - 3) * 1e3)
        .channel("freq1", "sclk", 600e6)
        .channel("in1", "vddnb", 812);
  }

  /// The kernel lists the card; its numbers come from the driver's library (rig/management_library.cpp).
  void managed_card() {
    const std::string device = card(0, kSlot, "proprietary");
    tree_.set(device + "/device", model_of(spec_.graphics));
    tree_.set("sys/bus/pci/drivers/proprietary/uevent", "");
    tree_.set(kManagedCard,
              fmt::format("name={}\nslot={}\ndriver=999.10\nload={:.0f}\nmemory_load={:.0f}\ntemp={:.0f}\nclock={:.0f}"
                          "\nmemory_clock={:.0f}\n"
                          "power={:.0f}\nlimit={:.0f}\nfan={:.0f}\nlink=16\nused={:.0f}\ntotal={:.0f}\nthrottle={}",
                          spec_.graphics, kSlot, s_.gpu_load * 100, s_.gpu_load * 55, s_.gpu_temp, s_.gpu_clock,
                          s_.gpu_memory_clock * 8, s_.gpu_power * 1e3, spec_.graphics_power * 1.1 * 1e3, s_.gpu_duty,
                          s_.gpu_memory_used * 1048576, spec_.graphics_memory * 1048576, s_.throttle < 1 ? 0x20 : 0));
  }

  void battery() {
    const std::string folder = "sys/class/power_supply/BAT0/";
    tree_.set(folder + "type", "Battery");
    tree_.set(folder + "status", "Discharging");
    tree_.set(folder + "capacity", whole(s_.battery * 100));
    tree_.set(folder + "energy_full", "60000000");
    tree_.set(folder + "energy_now", whole(s_.battery * 60e6));
    tree_.set(folder + "power_now", whole(s_.battery_power * 1e6));
  }

  static constexpr const char* kSlot = "0000:03:00.0";

  const Spec& spec_;
  const State& s_;
  Tree& tree_;
};

}  // namespace

void write_tree(const Machine& machine, Tree& tree) { Writer(machine, tree).run(); }

}  // namespace idlemeter::rig
