// A device below the layer.
#pragma once

#include <cstdint>
#include <vector>

#include "link/regions.hpp"
#include "vulkan/calls.hpp"
#include "vulkan/device_request.hpp"

namespace idlemeter::probe {

struct Device {
  VkDevice handle = VK_NULL_HANDLE;
  VkPhysicalDevice physical = VK_NULL_HANDLE;
  const Instance* instance = nullptr;
  PFN_vkGetDeviceProcAddr next = nullptr;
  PFN_vkSetDeviceLoaderData set_loader_data = nullptr;
  Calls calls;
  VkPhysicalDeviceMemoryProperties memory{};
  VkPhysicalDeviceProperties properties{};
  std::vector<VkQueueFamilyProperties> families;
  char driver[link::kDriverBytes] = "";                   ///< its name and version
  bool reads_clocks = false;                              ///< it can read the GPU's and the monotonic one together
  DeviceRequest::Waits waits = DeviceRequest::Waits::no;  ///< for presents to be on the screen
  bool has_compute_queue = false;                         ///< one without graphics: a game may present from it
};

/// A Vulkan structure with its type set and everything else 0.
template <typename T>
T made(VkStructureType type) {
  T info{};
  info.sType = type;
  return info;
}

inline VkImageSubresourceRange whole_image() { return {VK_IMAGE_ASPECT_COLOR_BIT, 0, 1, 0, 1}; }

/// How an image takes colours; the shaders have the same numbers.
enum class Encoding : std::int32_t {
  srgb = 0,    ///< as they are
  linear = 1,  ///< as linear light, which the format encodes
  scrgb = 2,   ///< as linear light in which 1 is 80 cd/m2
  pq = 3       ///< as HDR10: BT.2020 primaries, SMPTE ST 2084
};
Encoding encoding_of(VkFormat format, VkColorSpaceKHR space);

/// A command buffer of the layer's own. VK_NULL_HANDLE if none can be had.
VkCommandBuffer allocate_commands(const Device& device, VkCommandPool pool);

bool allocate_memory(const Device& device, const VkMemoryRequirements& needs, VkMemoryPropertyFlags properties,
                     VkDeviceMemory& into);

/// Empty if the driver doesn't say.
std::vector<VkImage> images_of(const Device& device, VkSwapchainKHR swapchain);

/// Commands that are recorded and submitted for each frame. Can be destroyed even if make() failed.
struct OwnCommands {
  VkCommandBuffer buffer = VK_NULL_HANDLE;  ///< goes with its pool
  VkFence over = VK_NULL_HANDLE;
  VkSemaphore done = VK_NULL_HANDLE;  ///< signalled by submit()
  bool submitted = false;

  bool make(const Device& device, VkCommandPool pool);

  /// Waits until what was submitted is over, for up to a second. False if it isn't.
  [[nodiscard]] bool wait(const Device& device);

  void begin(const Device& device) const;

  /// Ends the commands and submits them, after `before` if there is one; they begin that stage once the semaphores are
  /// signalled.
  bool submit(const Device& device, VkQueue queue, VkCommandBuffer before, VkPipelineStageFlags stage,
              std::uint32_t wait_count, const VkSemaphore* waits);

  /// Once wait() has returned true.
  void destroy(const Device& device);
};

/// A buffer with its own memory, mapped if the host sees it. Can be destroyed even if make_larger() failed.
struct Buffer {
  VkBuffer handle = VK_NULL_HANDLE;
  VkDeviceMemory memory = VK_NULL_HANDLE;
  VkDeviceSize size = 0;
  void* mapped = nullptr;

  /// A new one if it is smaller: what it held is gone then.
  bool make_larger(const Device& device, VkDeviceSize bytes, VkBufferUsageFlags usage,
                   VkMemoryPropertyFlags properties);
  void destroy(const Device& device);
};

/// Memory that the host can write to without flushing.
inline constexpr VkMemoryPropertyFlags kMapped =
    VK_MEMORY_PROPERTY_HOST_VISIBLE_BIT | VK_MEMORY_PROPERTY_HOST_COHERENT_BIT;

}  // namespace idlemeter::probe
