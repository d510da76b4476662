// A stand-in for the proprietary driver's management library, with the same C interface: one card, whose numbers stand
// in the file that IDLEMETER_RIG_MANAGED_CARD names, a "key=number" a line.
#include <cstdlib>
#include <cstring>
#include <fstream>
#include <string>

#include "sources/graphics/gpu_management_library.hpp"

using namespace idlemeter::sources;

namespace {

constexpr nvml::Result kSuccess = 0, kUninitialized = 1, kInvalidArgument = 2, kNotSupported = 3;

std::string text_of(const char* key) {
  const char* file = std::getenv("IDLEMETER_RIG_MANAGED_CARD");
  std::ifstream lines(file == nullptr ? "" : file);
  const std::string start = std::string(key) + "=";
  for (std::string line; std::getline(lines, line);) {
    if (line.starts_with(start)) return line.substr(start.size());
  }
  return "";
}

template <typename Number>
nvml::Result number_of(const char* key, Number* into) {
  const std::string text = text_of(key);
  if (text.empty()) return kNotSupported;
  *into = static_cast<Number>(std::strtoull(text.c_str(), nullptr, 10));
  return kSuccess;
}

nvml::Result copy(const std::string& text, char* into, unsigned int size) {
  if (text.empty()) return kNotSupported;
  if (text.size() >= size) return kInvalidArgument;
  std::memcpy(into, text.c_str(), text.size() + 1);
  return kSuccess;
}

}  // namespace

extern "C" {

nvml::Result nvmlInit_v2() { return text_of("name").empty() ? kUninitialized : kSuccess; }
nvml::Result nvmlShutdown() { return kSuccess; }

nvml::Result nvmlDeviceGetCount_v2(unsigned int* count) {
  *count = 1;
  return kSuccess;
}

nvml::Result nvmlDeviceGetHandleByIndex_v2(unsigned int index, nvml::Device* device) {
  static char card;
  *device = reinterpret_cast<nvml::Device>(&card);
  return index == 0 ? kSuccess : kInvalidArgument;
}

nvml::Result nvmlDeviceGetName(nvml::Device, char* name, unsigned int size) {
  return copy(text_of("name"), name, size);
}
nvml::Result nvmlSystemGetDriverVersion(char* version, unsigned int size) {
  return copy(text_of("driver"), version, size);
}

nvml::Result nvmlDeviceGetPciInfo_v3(nvml::Device, nvml::PciInfo* info) {
  *info = {};
  const std::string slot = text_of("slot");  // "0000:03:00.0"
  if (slot.size() < 10) return kNotSupported;
  info->domain = static_cast<unsigned int>(std::strtoul(slot.c_str(), nullptr, 16));
  info->bus = static_cast<unsigned int>(std::strtoul(slot.c_str() + 5, nullptr, 16));
  info->device = static_cast<unsigned int>(std::strtoul(slot.c_str() + 8, nullptr, 16));
  return kSuccess;
}

nvml::Result nvmlDeviceGetUtilizationRates(nvml::Device, nvml::Utilization* use) {
  const nvml::Result load = number_of("load", &use->gpu);
  return load == kSuccess ? number_of("memory_load", &use->memory) : load;
}

nvml::Result nvmlDeviceGetMemoryInfo(nvml::Device, nvml::Memory* memory) {
  if (number_of("used", &memory->used) != kSuccess) return kNotSupported;
  const nvml::Result total = number_of("total", &memory->total);
  memory->free = memory->total - memory->used;
  return total;
}

nvml::Result nvmlDeviceGetTemperature(nvml::Device, int, unsigned int* celsius) { return number_of("temp", celsius); }
nvml::Result nvmlDeviceGetClockInfo(nvml::Device, int type, unsigned int* megahertz) {
  return number_of(type == nvml::kMemoryClock ? "memory_clock" : "clock", megahertz);
}
nvml::Result nvmlDeviceGetPowerUsage(nvml::Device, unsigned int* milliwatt) { return number_of("power", milliwatt); }
nvml::Result nvmlDeviceGetEnforcedPowerLimit(nvml::Device, unsigned int* milliwatt) {
  return number_of("limit", milliwatt);
}
nvml::Result nvmlDeviceGetFanSpeed(nvml::Device, unsigned int* percent) { return number_of("fan", percent); }
nvml::Result nvmlDeviceGetCurrentClocksThrottleReasons(nvml::Device, unsigned long long* reasons) {
  return number_of("throttle", reasons);
}
nvml::Result nvmlDeviceGetCurrPcieLinkWidth(nvml::Device, unsigned int* lanes) { return number_of("link", lanes); }

const char* nvmlErrorString(nvml::Result result) {
  return result == kNotSupported ? "Not Supported" : result == kSuccess ? "Success" : "Failed";
}

}  // extern "C"
