// The simulated machine: how it heats up, clocks down and draws power, and what its kernel would say of that.
#pragma once

#include <cstdint>
#include <memory>
#include <random>
#include <string>
#include <vector>

#include "tree.hpp"

namespace idlemeter::rig {

/// What a game asks of the machine, each from 0 to 1.
struct Demand {
  double processor = 0.03;  // of all cores
  double busiest_core = 0.1;
  double graphics = 0.01;
  double memory_used = 0.2;  // of the system's
  double graphics_memory = 0.05;
};

/// The machine's state; °C, MHz, W, V, rpm.
struct State {
  double cpu_temp = 38, cpu_clock = 4800, cpu_power = 12;
  std::vector<double> core_load, core_clock, core_temp;
  double gpu_load = 0, gpu_temp = 36, gpu_hotspot = 40, gpu_memory_temp = 42;
  double gpu_clock = 500, gpu_memory_clock = 96, gpu_power = 14, gpu_voltage = 0.72, gpu_fan = 0, gpu_duty = 0;
  double gpu_memory_used = 900;  // MiB
  double memory_used = 5200;     // MiB
  double throttle = 1;           // share of its full clock that heat leaves the GPU
  bool throttled = false;
};

/// *Bramble*: processor "Corvid 8" (8 cores), GPU "Marl G9" (12 GiB), 32 GiB of memory, a board, an SSD.
///
/// Deterministic by seed. One thread at a time.
class Machine {
 public:
  explicit Machine(std::uint64_t seed = 1);

  /// Lets `seconds` of virtual time pass with that demand.
  void advance(double seconds, const Demand& demand);

  /// Writes what the kernel would say now.
  void write(Tree& tree);

  [[nodiscard]] const State& state() const { return state_; }

 private:
  void advance_processor(double seconds, const Demand& demand);
  void advance_graphics(double seconds, const Demand& demand);
  void write_processor(Tree& tree);
  void write_graphics(Tree& tree) const;
  void write_board(Tree& tree) const;

  State state_;
  std::mt19937_64 random_;
  std::vector<double> busy_ticks_, idle_ticks_;  // per core, in 1/100 s as in /proc/stat
};

}  // namespace idlemeter::rig
