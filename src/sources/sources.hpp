// Every source of the machine, by the folder that holds proc/ and sys/.
#pragma once

#include <map>
#include <memory>
#include <string>

#include "idlemeter/machine.hpp"
#include "idlemeter/sampler.hpp"
#include "sources/kernel_file.hpp"

namespace idlemeter::sources {

/// Load (whole and per core, with its shares), clock.
std::unique_ptr<Source> processor_source(const fs::path& root);

/// Power out of the processor's energy counters.
std::unique_ptr<Source> powercap_source(const fs::path& root);

/// How long programs wait for processor, memory and disks.
std::unique_ptr<Source> pressure_source(const fs::path& root);

/// Graphics cards of the kernel's own drivers: `gpu` is the one that the game uses; with several, each has a number
/// too. `game`: its process, or 0.
std::unique_ptr<Source> graphics_source(const fs::path& root, int game);

/// Graphics cards of the proprietary driver, numbered with the others; none where the library isn't there.
std::unique_ptr<Source> managed_graphics_source(const std::string& library, const fs::path& root, int game);

/// Memory and swap.
std::unique_ptr<Source> memory_source(const fs::path& root);

/// Memory type and speed.
std::unique_ptr<Source> memory_module_source(const fs::path& root);

/// "DDR5-6000"; empty where the firmware's tables can't be read.
std::string memory_kind(const fs::path& root);

/// Rates of each disk.
std::unique_ptr<Source> disk_source(const fs::path& root);

/// Rates of each network interface.
std::unique_ptr<Source> network_source(const fs::path& root);

/// Charge, power, time left.
std::unique_ptr<Source> battery_source(const fs::path& root);

/// Temperatures that the kernel steers by.
std::unique_ptr<Source> thermal_zone_source(const fs::path& root);

/// Temperatures, fans, voltages, currents and power of every hwmon chip; the processor's own under `cpu`. One source
/// for each chip that is there now, so that a stuck one delays no other, and one for those that come later.
Sources hwmon_sources(const fs::path& root);

/// The game's own process.
std::unique_ptr<Source> game_process_source(const fs::path& root, int pid);

/// What the machine and the game are, as text.
std::unique_ptr<Source> fact_source(const fs::path& root, const GameFacts& game);

/// Texts of the user's in place of those found.
std::unique_ptr<Source> override_source(const std::map<std::string, std::string>& facts);

}  // namespace idlemeter::sources
