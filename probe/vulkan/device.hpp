// A device below the layer.
#pragma once

#include <cstdint>
#include <vector>

#include "vulkan/calls.hpp"

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
};

/// A structure of Vulkan's with its type set, and everything else 0.
template <typename T>
T made(VkStructureType type) {
  T info{};
  info.sType = type;
  return info;
}

/// A command buffer of the layer's own. VK_NULL_HANDLE where there is none to be had.
inline VkCommandBuffer allocate_commands(const Device& device, VkCommandPool pool) {
  auto info = made<VkCommandBufferAllocateInfo>(VK_STRUCTURE_TYPE_COMMAND_BUFFER_ALLOCATE_INFO);
  info.commandPool = pool;
  info.level = VK_COMMAND_BUFFER_LEVEL_PRIMARY;
  info.commandBufferCount = 1;
  VkCommandBuffer commands = VK_NULL_HANDLE;
  if (device.calls.AllocateCommandBuffers(device.handle, &info, &commands) != VK_SUCCESS) return VK_NULL_HANDLE;
  if (device.set_loader_data != nullptr) device.set_loader_data(device.handle, commands);
  return commands;
}

}  // namespace idlemeter::probe
