#include "idlemeter/machine.hpp"

#include "sources/sources.hpp"

namespace idlemeter {

Sources machine_sources(const MachineOptions& options) {
  Sources found;
  found.push_back(sources::processor_source(options.root));
  found.push_back(sources::graphics_source(options.root));
  found.push_back(sources::memory_source(options.root));
  found.push_back(sources::hwmon_source(options.root));
  return found;
}

}  // namespace idlemeter
