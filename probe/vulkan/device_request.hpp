// A game's request for a device, with what the layer would like to have too.
#pragma once

#include <vector>

#include "vulkan/calls.hpp"

namespace idlemeter::probe {

/// Adds extensions that the driver has and the game didn't ask for: calibrated timestamps, and waiting for presents.
/// Refers to the game's request, which has to live as long.
class DeviceRequest {
 public:
  DeviceRequest(const Instance& instance, VkPhysicalDevice physical, const VkDeviceCreateInfo& asked);
  DeviceRequest(const DeviceRequest&) = delete;
  DeviceRequest& operator=(const DeviceRequest&) = delete;

  [[nodiscard]] const VkDeviceCreateInfo& info() const { return info_; }

  [[nodiscard]] bool reads_clocks() const { return reads_clocks_; }

  /// Whether presents can be waited for, and who numbers them.
  enum class Waits { no, by_own_numbers, by_games_numbers };
  [[nodiscard]] Waits waits() const { return waits_; }

 private:
  bool ask_for(const char* extension);
  void ask_to_wait(const Instance& instance, VkPhysicalDevice physical);

  std::vector<VkExtensionProperties> there_;
  std::vector<const char*> extensions_;
  VkPhysicalDevicePresentIdFeaturesKHR present_id_{};
  VkPhysicalDevicePresentWaitFeaturesKHR present_wait_{};
  VkDeviceCreateInfo info_;
  bool reads_clocks_ = false;
  Waits waits_ = Waits::no;
};

/// The structure of that type in a chain; nullptr if there is none.
const VkBaseInStructure* in_chain(const void* chain, VkStructureType type);

}  // namespace idlemeter::probe
