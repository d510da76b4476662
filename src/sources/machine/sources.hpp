// Every source of the machine, by the folder that holds proc/ and sys/.
#pragma once

#include <map>
#include <memory>
#include <string>

#include "idlemeter/readings/source.hpp"
#include "idlemeter/sources/game_pid.hpp"
#include "sources/kernel/kernel_file.hpp"

namespace idlemeter::sources {

/// The game's process as a source knows it: the one that it found readings for.
class GameProcess {
 public:
  explicit GameProcess(std::shared_ptr<const GamePid> game) : game_(std::move(game)) {}

  /// Takes the process that is the game now. True if it is another one.
  bool look() {
    const int before = known_;
    known_ = game_ == nullptr ? 0 : game_->get();
    return known_ != before;
  }

  /// 0: no game.
  [[nodiscard]] int pid() const { return known_; }

  /// Whether another process is the game since look().
  [[nodiscard]] bool changed() const { return game_ != nullptr && game_->get() != known_; }

 private:
  std::shared_ptr<const GamePid> game_;
  int known_ = 0;
};

/// Load (whole and per core, with its shares), clock.
std::unique_ptr<Source> processor_source(const fs::path& root);

/// Power out of the processor's energy counters.
std::unique_ptr<Source> powercap_source(const fs::path& root);

/// How long programs wait for processor, memory and disks.
std::unique_ptr<Source> pressure_source(const fs::path& root);

/// Graphics cards of the kernel's own drivers: `gpu` is the one that the game uses. With several cards, each other one
/// is `gpu` with its number, and the game's has such an id as its alias.
std::unique_ptr<Source> graphics_source(const fs::path& root, GameProcess game);

/// Graphics cards of the proprietary driver, numbered with the others; none if the library isn't installed.
std::unique_ptr<Source> managed_graphics_source(const std::string& library, const fs::path& root, GameProcess game);

/// Memory and swap.
std::unique_ptr<Source> memory_source(const fs::path& root);

/// Memory type and speed.
std::unique_ptr<Source> memory_module_source(const fs::path& root);

/// "DDR5-6000"; empty if the firmware's tables can't be read.
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
/// for each present chip, so that a stuck one delays no other, and one for those that come later.
Sources hwmon_sources(const fs::path& root);

/// The game's own process.
std::unique_ptr<Source> game_process_source(const fs::path& root, GameProcess game);

/// What the machine is, as text.
std::unique_ptr<Source> fact_source(const fs::path& root, GameProcess game);

/// Texts of the user's that replace those found.
std::unique_ptr<Source> override_source(const std::map<std::string, std::string>& facts);

}  // namespace idlemeter::sources
