// What the layer knows: the game's instances, devices, queues and swapchains.
#pragma once

#include <map>
#include <memory>
#include <mutex>

#include "vulkan/gpu_clock.hpp"
#include "vulkan/overlay.hpp"
#include "vulkan/screen_clock.hpp"

namespace idlemeter::probe {

/// Handles of one instance or device share the table that their first word points to.
inline void* key_of(const void* dispatchable) { return *static_cast<void* const*>(dispatchable); }

struct Queue {
  Queue(const Device& of, std::uint32_t family_index) : device(&of), family(family_index), clock(of, family_index) {}

  const Device* device;
  std::uint32_t family;
  VulkanGpuClock clock;
};

struct Swapchain {
  Target target;
  bool drawable = false, copyable = false;  ///< what its images may be used for
  std::unique_ptr<Overlay> overlay;         ///< of the first queue that it was presented from with a picture
  std::unique_ptr<ScreenClock> clock;       ///< since the first present to a meter, if the driver can wait for presents
  std::uint64_t presents = 0;               ///< that were numbered
};

struct Layer {
  std::mutex mutex;
  std::map<void*, std::unique_ptr<Instance>> instances;
  std::map<void*, std::unique_ptr<Device>> devices;
  std::map<VkQueue, Queue> queues;
  std::map<VkSwapchainKHR, Swapchain> swapchains;
  link::ProbeEnd end;
};

/// This process's. Lock its mutex before looking into it.
Layer& layer();

/// nullptr if the handle is unknown.
Instance* instance_of(const void* handle);
Device* device_of(const void* handle);

// Replacements for the driver's calls.
VKAPI_ATTR VkResult VKAPI_CALL queue_submit(VkQueue handle, std::uint32_t count, const VkSubmitInfo* submits,
                                            VkFence fence);
VKAPI_ATTR VkResult VKAPI_CALL queue_submit2(VkQueue handle, std::uint32_t count, const VkSubmitInfo2* submits,
                                             VkFence fence);
VKAPI_ATTR VkResult VKAPI_CALL queue_submit2_khr(VkQueue handle, std::uint32_t count, const VkSubmitInfo2* submits,
                                                 VkFence fence);
VKAPI_ATTR VkResult VKAPI_CALL queue_present(VkQueue handle, const VkPresentInfoKHR* info);

}  // namespace idlemeter::probe
