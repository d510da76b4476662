#include "vulkan/device_request.hpp"

#include <string.h>

#include <algorithm>

#include "link/gpu_time.hpp"
#include "vulkan/device.hpp"

namespace idlemeter::probe {
namespace {

/// Whether the driver can read the GPU's clock and the monotonic one together.
bool can_read_clocks(const Instance& instance, VkPhysicalDevice physical) {
  const auto ask = instance.GetPhysicalDeviceCalibrateableTimeDomainsEXT;
  VkTimeDomainEXT domains[8] = {};
  std::uint32_t count = 8;
  if (ask == nullptr || ask(physical, &count, domains) < 0) return false;
  const auto has = [&](VkTimeDomainEXT domain) {
    return std::find(domains, domains + count, domain) != domains + count;
  };
  return has(VK_TIME_DOMAIN_DEVICE_EXT) && has(VK_TIME_DOMAIN_CLOCK_MONOTONIC_EXT);
}

bool can_wait_for_presents(const Instance& instance, VkPhysicalDevice physical) {
  if (instance.GetPhysicalDeviceFeatures2 == nullptr) return false;
  auto waits =
      made<VkPhysicalDevicePresentWaitFeaturesKHR>(VK_STRUCTURE_TYPE_PHYSICAL_DEVICE_PRESENT_WAIT_FEATURES_KHR);
  auto ids = made<VkPhysicalDevicePresentIdFeaturesKHR>(VK_STRUCTURE_TYPE_PHYSICAL_DEVICE_PRESENT_ID_FEATURES_KHR);
  auto all = made<VkPhysicalDeviceFeatures2>(VK_STRUCTURE_TYPE_PHYSICAL_DEVICE_FEATURES_2);
  ids.pNext = &waits;
  all.pNext = &ids;
  instance.GetPhysicalDeviceFeatures2(physical, &all);
  return waits.presentWait == VK_TRUE && ids.presentId == VK_TRUE;
}

}  // namespace

const VkBaseInStructure* in_chain(const void* chain, VkStructureType type) {
  const auto* one = static_cast<const VkBaseInStructure*>(chain);
  while (one != nullptr && one->sType != type) one = one->pNext;
  return one;
}

/// False if the driver doesn't have it.
bool DeviceRequest::ask_for(const char* extension) {
  const bool has = std::any_of(there_.begin(), there_.end(), [&](const VkExtensionProperties& one) {
    return ::strcmp(one.extensionName, extension) == 0;
  });
  const bool asked = std::any_of(extensions_.begin(), extensions_.end(),
                                 [&](const char* one) { return ::strcmp(one, extension) == 0; });
  if (has && !asked) extensions_.push_back(extension);
  return has;
}

DeviceRequest::DeviceRequest(const Instance& instance, VkPhysicalDevice physical, const VkDeviceCreateInfo& asked)
    : extensions_(asked.ppEnabledExtensionNames, asked.ppEnabledExtensionNames + asked.enabledExtensionCount),
      info_(asked) {
  std::uint32_t count = 0;
  const auto list = instance.EnumerateDeviceExtensionProperties;
  if (!link::times_gpu(false) || list == nullptr || list(physical, nullptr, &count, nullptr) != VK_SUCCESS) return;
  there_.resize(count);
  if (list(physical, nullptr, &count, there_.data()) != VK_SUCCESS) return;
  reads_clocks_ = can_read_clocks(instance, physical) && ask_for(VK_EXT_CALIBRATED_TIMESTAMPS_EXTENSION_NAME);
  ask_to_wait(instance, physical);
  info_.enabledExtensionCount = static_cast<std::uint32_t>(extensions_.size());
  info_.ppEnabledExtensionNames = extensions_.data();
}

/// For presents, so that the screen's latency is known: by the game's own numbers of them, or by ours.
void DeviceRequest::ask_to_wait(const Instance& instance, VkPhysicalDevice physical) {
  const auto* ids = in_chain(info_.pNext, VK_STRUCTURE_TYPE_PHYSICAL_DEVICE_PRESENT_ID_FEATURES_KHR);
  const auto* waits = in_chain(info_.pNext, VK_STRUCTURE_TYPE_PHYSICAL_DEVICE_PRESENT_WAIT_FEATURES_KHR);
  if (ids != nullptr && waits != nullptr) {
    const bool both = reinterpret_cast<const VkPhysicalDevicePresentIdFeaturesKHR*>(ids)->presentId == VK_TRUE &&
                      reinterpret_cast<const VkPhysicalDevicePresentWaitFeaturesKHR*>(waits)->presentWait == VK_TRUE;
    if (both) waits_ = Waits::by_games_numbers;
  } else if (ids == nullptr && waits == nullptr && can_wait_for_presents(instance, physical) &&
             ask_for(VK_KHR_PRESENT_ID_EXTENSION_NAME) && ask_for(VK_KHR_PRESENT_WAIT_EXTENSION_NAME)) {
    present_wait_.sType = VK_STRUCTURE_TYPE_PHYSICAL_DEVICE_PRESENT_WAIT_FEATURES_KHR;
    present_wait_.presentWait = VK_TRUE;
    present_wait_.pNext = const_cast<void*>(info_.pNext);
    present_id_.sType = VK_STRUCTURE_TYPE_PHYSICAL_DEVICE_PRESENT_ID_FEATURES_KHR;
    present_id_.presentId = VK_TRUE;
    present_id_.pNext = &present_wait_;
    info_.pNext = &present_id_;
    waits_ = Waits::by_own_numbers;
  }
}

}  // namespace idlemeter::probe
