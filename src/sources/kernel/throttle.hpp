// Why a clock is lower than it could be, as the kernel's drivers and the vendor's library say it.
#pragma once

#include <cstdint>
#include <filesystem>
#include <span>
#include <string>
#include <string_view>

#include "idlemeter/readings/reading.hpp"

namespace idlemeter::sources {

/// Some bits of a mask, and a word for them.
struct ThrottleBits {
  std::uint64_t bits;
  std::string_view word;
};

/// "none", "heat", "heat, power": the words whose bits are set, each once, in the order of the list.
std::string throttle_words(std::uint64_t mask, std::span<const ThrottleBits> words);

/// amdgpu: indep_throttle_status in `gpu_metrics`, a table of the driver's (drivers/gpu/drm/amd/include/
/// kgd_pp_interface.h: gpu_metrics_v1_3 of cards, gpu_metrics_v2_2 and later of processors with graphics).
Value amd_throttle(const std::filesystem::path& metrics);

/// i915 (gt/gt0/throttle_reason_*) and xe (…/throttle/reason_*): files with that prefix in the folder, each 0 or 1.
Value intel_throttle(const std::filesystem::path& folder, std::string_view prefix);

/// The proprietary driver's reasons, nvmlDeviceGetCurrentClocksThrottleReasons.
std::string nvml_throttle(unsigned long long reasons);

}  // namespace idlemeter::sources
