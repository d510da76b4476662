// The simulated machines: how they heat up, clock down and draw power.
#pragma once

#include <cstdint>
#include <random>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace idlemeter::rig {

/// A machine's parts.
struct Spec {
  std::string_view kind;  ///< how it is asked for: "desktop"
  std::string_view name;  ///< "Bramble"
  std::string_view processor;
  int cores = 8;
  double memory = 32768;             ///< MiB
  std::string_view graphics = {};    ///< the card that games use; empty: none that can be measured
  double graphics_memory = 12288;    ///< MiB
  double processor_power = 105;      ///< W at full load
  double graphics_power = 236;       ///< W at full load
  double speed = 1;                  ///< of the GPU against Bramble's
  std::string_view integrated = {};  ///< a second, integrated card's name; empty: none
  bool apu = false;                  ///< the card that games use is the processor's own
  bool proprietary = false;          ///< its driver reports through its management library alone
  bool battery = false;
  bool fans_stand = false;  ///< the card's, from the start: it gets hot and clocks down
  bool bare = false;        ///< a virtual machine that shows next to nothing
};

/// A desktop with two GPUs, a laptop with hybrid graphics, a handheld, a machine with the proprietary driver, one whose
/// card's fans stand still, a bare virtual machine.
std::span<const Spec> specs();

/// By kind or by name, upper and lower case alike. Throws Error naming the others.
const Spec& spec_of(std::string_view kind);

/// What a game asks of the machine, each from 0 to 1.
struct Demand {
  double processor = 0.03;  // of all cores
  double busiest_core = 0.1;
  double graphics = 0.01;
  double memory_used = 0.2;  // of the system's
  double graphics_memory = 0.05;
  double reads = 0;  // MB/s from the disk
};

/// The machine's state; °C, MHz, W, V, rpm, MiB; counters as the kernel has them.
struct State {
  double cpu_temp = 38, cpu_clock = 4800, cpu_power = 12;
  std::vector<double> core_load, core_clock, core_temp;
  double gpu_load = 0, gpu_temp = 36, gpu_hotspot = 40, gpu_memory_temp = 42;
  double gpu_clock = 500, gpu_memory_clock = 96, gpu_power = 14, gpu_voltage = 0.72, gpu_fan = 0, gpu_duty = 0;
  double gpu_memory_used = 900;
  double memory_used = 5200;
  double throttle = 1;  // share of its full clock that heat leaves the GPU
  double battery = 0.93, battery_power = 8;
  std::vector<double> busy_ticks, idle_ticks;                          // per core, in 1/100 s
  double processor_energy = 262'143e6;                                 // µJ: about to wrap around
  double disk_read = 4.1e6, disk_written = 2.2e6, disk_busy = 90'000;  // sectors, sectors, ms
  double received = 3.2e9, sent = 4.4e8;                               // bytes
  double waited_processor = 1e6, waited_disk = 4e5;                    // µs
  double game_ticks = 900, game_read = 6.1e9, game_engine = 4e9;       // ticks, bytes, ns
  double game_faults = 12;                                             // page faults from disk
};

/// Deterministic by seed. One thread at a time.
class Machine {
 public:
  explicit Machine(const Spec& spec = specs().front(), std::uint64_t seed = 1);

  /// Lets `seconds` of virtual time pass with that demand.
  void advance(double seconds, const Demand& demand);

  /// The card's fans stand still from now on.
  void stop_cooler() { cooler_ = false; }

  [[nodiscard]] const State& state() const { return state_; }
  [[nodiscard]] const Spec& spec() const { return spec_; }

 private:
  void advance_processor(double seconds, const Demand& demand);
  void advance_graphics(double seconds, const Demand& demand);
  /// A core under that load, while all cores have that share of theirs.
  void advance_core(std::size_t core, double load, double all, double seconds);
  void advance_counters(double seconds, const Demand& demand);
  void advance_battery(double seconds);

  const Spec& spec_;
  State state_;
  bool cooler_ = true;
  std::mt19937_64 random_;
};

}  // namespace idlemeter::rig
