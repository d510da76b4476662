// Every source of the machine, by the folder that holds proc/ and sys/.
#pragma once

#include <memory>

#include "idlemeter/sampler.hpp"
#include "sources/kernel_file.hpp"

namespace idlemeter::sources {

/// Load (whole and per core, with its shares), clock.
std::unique_ptr<Source> processor_source(const fs::path& root);

/// Memory and swap.
std::unique_ptr<Source> memory_source(const fs::path& root);

/// Temperatures, fans, voltages, currents and power of every hwmon chip; the processor's own under `cpu`.
std::unique_ptr<Source> hwmon_source(const fs::path& root);

/// Graphics cards of the kernel's own drivers: `gpu` is the one that a game uses; with several, each has a number too.
std::unique_ptr<Source> graphics_source(const fs::path& root);

}  // namespace idlemeter::sources
