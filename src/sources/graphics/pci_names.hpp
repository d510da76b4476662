// The names of PCI devices.
#pragma once

#include <cstdint>
#include <string>

#include "sources/kernel/kernel_file.hpp"

namespace idlemeter::sources {

/// The device's name in the pci.ids of `root`, else in this machine's own; empty if neither knows it.
/// "Heron 4 [Marl G9]" is cut to "Marl G9": what stands in brackets is what the box said.
std::string pci_device_name(const fs::path& root, std::uint16_t vendor, std::uint16_t device);

}  // namespace idlemeter::sources
