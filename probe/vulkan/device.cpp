#include "vulkan/device.hpp"

#include <algorithm>

namespace idlemeter::probe {
namespace {

constexpr std::uint32_t kMostWaits = 16;  // a present waits for one or two; the list is on the stack

}  // namespace

Encoding encoding_of(VkFormat format, VkColorSpaceKHR space) {
  if (space == VK_COLOR_SPACE_EXTENDED_SRGB_LINEAR_EXT) return Encoding::scrgb;
  if (space == VK_COLOR_SPACE_HDR10_ST2084_EXT) return Encoding::pq;
  const bool is_srgb = format == VK_FORMAT_B8G8R8A8_SRGB || format == VK_FORMAT_R8G8B8A8_SRGB ||
                       format == VK_FORMAT_A8B8G8R8_SRGB_PACK32;
  return is_srgb ? Encoding::linear : Encoding::srgb;
}

VkCommandBuffer allocate_commands(const Device& device, VkCommandPool pool) {
  auto info = made<VkCommandBufferAllocateInfo>(VK_STRUCTURE_TYPE_COMMAND_BUFFER_ALLOCATE_INFO);
  info.commandPool = pool;
  info.level = VK_COMMAND_BUFFER_LEVEL_PRIMARY;
  info.commandBufferCount = 1;
  VkCommandBuffer commands = VK_NULL_HANDLE;
  if (device.calls.AllocateCommandBuffers(device.handle, &info, &commands) != VK_SUCCESS) return VK_NULL_HANDLE;
  if (device.set_loader_data != nullptr) device.set_loader_data(device.handle, commands);
  return commands;
}

bool allocate_memory(const Device& device, const VkMemoryRequirements& needs, VkMemoryPropertyFlags properties,
                     VkDeviceMemory& into) {
  for (std::uint32_t i = 0; i < device.memory.memoryTypeCount; ++i) {
    const bool fits = (needs.memoryTypeBits & 1u << i) != 0 &&
                      (device.memory.memoryTypes[i].propertyFlags & properties) == properties;
    if (!fits) continue;
    auto info = made<VkMemoryAllocateInfo>(VK_STRUCTURE_TYPE_MEMORY_ALLOCATE_INFO);
    info.allocationSize = needs.size;
    info.memoryTypeIndex = i;
    return device.calls.AllocateMemory(device.handle, &info, nullptr, &into) == VK_SUCCESS;
  }
  return false;
}

std::vector<VkImage> images_of(const Device& device, VkSwapchainKHR swapchain) {
  const auto get = device.calls.GetSwapchainImagesKHR;
  std::uint32_t count = 0;
  get(device.handle, swapchain, &count, nullptr);
  std::vector<VkImage> images(count);
  if (get(device.handle, swapchain, &count, images.data()) != VK_SUCCESS) return {};
  return images;
}

bool OwnCommands::make(const Device& device, VkCommandPool pool) {
  const auto fence = made<VkFenceCreateInfo>(VK_STRUCTURE_TYPE_FENCE_CREATE_INFO);
  const auto semaphore = made<VkSemaphoreCreateInfo>(VK_STRUCTURE_TYPE_SEMAPHORE_CREATE_INFO);
  buffer = allocate_commands(device, pool);
  return buffer != VK_NULL_HANDLE && device.calls.CreateFence(device.handle, &fence, nullptr, &over) == VK_SUCCESS &&
         device.calls.CreateSemaphore(device.handle, &semaphore, nullptr, &done) == VK_SUCCESS;
}

bool OwnCommands::wait(const Device& device) {
  constexpr std::uint64_t kAtMost = 1'000'000'000;  // ns
  if (submitted) submitted = device.calls.WaitForFences(device.handle, 1, &over, VK_TRUE, kAtMost) != VK_SUCCESS;
  return !submitted;
}

void OwnCommands::begin(const Device& device) const {
  auto info = made<VkCommandBufferBeginInfo>(VK_STRUCTURE_TYPE_COMMAND_BUFFER_BEGIN_INFO);
  info.flags = VK_COMMAND_BUFFER_USAGE_ONE_TIME_SUBMIT_BIT;
  device.calls.BeginCommandBuffer(buffer, &info);
}

bool OwnCommands::submit(const Device& device, VkQueue queue, VkCommandBuffer before, VkPipelineStageFlags stage,
                         std::uint32_t wait_count, const VkSemaphore* waits) {
  device.calls.EndCommandBuffer(buffer);
  if (wait_count > kMostWaits) return false;
  device.calls.ResetFences(device.handle, 1, &over);
  VkPipelineStageFlags stages[kMostWaits];
  std::fill_n(stages, wait_count, stage);
  const VkCommandBuffer both[] = {before, buffer};
  auto info = made<VkSubmitInfo>(VK_STRUCTURE_TYPE_SUBMIT_INFO);
  info.waitSemaphoreCount = wait_count;
  info.pWaitSemaphores = waits;
  info.pWaitDstStageMask = stages;
  info.commandBufferCount = before == VK_NULL_HANDLE ? 1 : 2;
  info.pCommandBuffers = before == VK_NULL_HANDLE ? both + 1 : both;
  info.signalSemaphoreCount = 1;
  info.pSignalSemaphores = &done;
  submitted = device.calls.QueueSubmit(queue, 1, &info, over) == VK_SUCCESS;
  return submitted;
}

void OwnCommands::destroy(const Device& device) {
  device.calls.DestroyFence(device.handle, over, nullptr);
  device.calls.DestroySemaphore(device.handle, done, nullptr);
  *this = {};
}

bool Buffer::make_larger(const Device& device, VkDeviceSize bytes, VkBufferUsageFlags usage,
                         VkMemoryPropertyFlags properties) {
  if (size >= bytes) return true;
  destroy(device);
  const Calls& vk = device.calls;
  auto info = made<VkBufferCreateInfo>(VK_STRUCTURE_TYPE_BUFFER_CREATE_INFO);
  info.size = bytes;
  info.usage = usage;
  if (vk.CreateBuffer(device.handle, &info, nullptr, &handle) != VK_SUCCESS) return false;
  VkMemoryRequirements needs{};
  vk.GetBufferMemoryRequirements(device.handle, handle, &needs);
  if (!allocate_memory(device, needs, properties, memory)) return false;
  if (vk.BindBufferMemory(device.handle, handle, memory, 0) != VK_SUCCESS) return false;
  const bool is_mapped = (properties & VK_MEMORY_PROPERTY_HOST_VISIBLE_BIT) != 0;
  if (is_mapped && vk.MapMemory(device.handle, memory, 0, VK_WHOLE_SIZE, 0, &mapped) != VK_SUCCESS) return false;
  size = bytes;
  return true;
}

void Buffer::destroy(const Device& device) {
  device.calls.DestroyBuffer(device.handle, handle, nullptr);
  device.calls.FreeMemory(device.handle, memory, nullptr);
  *this = {};
}

}  // namespace idlemeter::probe
