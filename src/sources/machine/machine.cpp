#include "idlemeter/sources/machine.hpp"

#include <iterator>

#include "idlemeter/readings/source.hpp"
#include "sources/machine/sources.hpp"

namespace idlemeter {

Sources machine_sources(const MachineOptions& options) {
  using namespace sources;
  const std::filesystem::path& root = options.root;
  const GameProcess game(options.game);
  Sources found;
  // If two sources have the same reading, the first counts.
  if (!options.facts.empty()) found.push_back(override_source(options.facts));
  found.push_back(processor_source(root));
  found.push_back(powercap_source(root));
  found.push_back(pressure_source(root));
  if (!options.graphics_library.empty()) found.push_back(managed_graphics_source(options.graphics_library, root, game));
  found.push_back(graphics_source(root, game));
  found.push_back(memory_source(root));
  found.push_back(memory_module_source(root));
  found.push_back(disk_source(root));
  found.push_back(network_source(root));
  found.push_back(battery_source(root));
  Sources chips = hwmon_sources(root);
  std::move(chips.begin(), chips.end(), std::back_inserter(found));
  found.push_back(thermal_zone_source(root));
  found.push_back(game_process_source(root, game));
  found.push_back(fact_source(root, game));
  return found;
}

}  // namespace idlemeter
