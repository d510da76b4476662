// The part of the proprietary driver's management library (NVML) that is used, by its public C interface: declared here
// so that it is needed neither to build nor to run. Types and numbers as in the NVML API Reference.
#pragma once

namespace idlemeter::sources::nvml {

using Result = int;  // 0: success
using Device = struct DeviceHandle*;

struct PciInfo {
  char bus_id_legacy[16];
  unsigned int domain, bus, device, pci_device_id, pci_subsystem_id;
  char bus_id[32];
};

struct Utilization {
  unsigned int gpu, memory;  // percent
};

struct Memory {
  unsigned long long total, free, used;  // bytes
};

enum ClockType { kGraphicsClock = 0, kMemoryClock = 2 };
enum TemperatureSensor { kGpuTemperature = 0 };

inline constexpr unsigned int kNameSize = 96;

}  // namespace idlemeter::sources::nvml
