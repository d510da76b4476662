// A made-up Vulkan driver: counts what it makes, and fails when asked to.
#pragma once

#include <unistd.h>

#include <atomic>
#include <cstdint>
#include <map>
#include <vector>

#include "vulkan/device.hpp"

namespace idlemeter::testing {

/// The number of the newest present that is on the screen.
inline std::atomic<std::uint64_t> on_screen = 0;

/// One at a time. Handles are numbers.
struct Driver {
  int fails_at = -1;  ///< the number of the call that fails, from 0, of those that can
  int calls = 0;      ///< of those
  std::map<std::uint64_t, int> alive;
  std::uint64_t made = 0;
  std::uint32_t images = 3;
  std::vector<unsigned char> memory = std::vector<unsigned char>(1 << 20);
  std::vector<VkSubmitInfo> submits;
  std::vector<VkSemaphore> waited_for;
  std::vector<VkBufferImageCopy> copies;
  std::vector<std::uint32_t> groups;  ///< of dispatches
  int draws = 0, fence_waits = 0;
  bool hangs = false;                                 ///< no fence is ever signalled
  std::pair<std::uint64_t, Moment> clocks = {};       ///< the GPU's and the monotonic one, compared
  std::map<std::uint32_t, std::uint64_t> timestamps;  ///< those that are there, by query

  static Driver& now() {
    static Driver driver;
    return driver;
  }

  VkResult next() { return calls++ == fails_at ? VK_ERROR_OUT_OF_DEVICE_MEMORY : VK_SUCCESS; }

  template <typename Handle>
  VkResult make(Handle* into) {
    const VkResult result = next();
    if (result != VK_SUCCESS) return result;
    *into = reinterpret_cast<Handle>(++made);
    alive[made] = 1;
    return result;
  }
};

template <typename Info, typename Handle>
VkResult create(VkDevice, const Info*, const VkAllocationCallbacks*, Handle* made) {
  return Driver::now().make(made);
}

/// Destroying what isn't alive leaves a number below 0.
template <typename Handle>
void destroy(VkDevice, Handle handle, const VkAllocationCallbacks*) {
  const auto number = reinterpret_cast<std::uint64_t>(handle);
  if (number != 0 && --Driver::now().alive[number] == 0) Driver::now().alive.erase(number);
}

inline VkResult submit(VkQueue, std::uint32_t count, const VkSubmitInfo* submits, VkFence) {
  Driver& driver = Driver::now();
  const VkResult result = driver.next();
  if (result != VK_SUCCESS) return result;
  driver.submits.insert(driver.submits.end(), submits, submits + count);
  const VkSubmitInfo& last = submits[count - 1];
  driver.waited_for.assign(last.pWaitSemaphores, last.pWaitSemaphores + last.waitSemaphoreCount);
  return result;
}

inline VkResult query_results(VkDevice, VkQueryPool, std::uint32_t first, std::uint32_t count, std::size_t, void* data,
                              VkDeviceSize, VkQueryResultFlags) {
  auto* results = static_cast<std::uint64_t*>(data);
  VkResult result = VK_SUCCESS;
  for (std::uint32_t i = 0; i < count; ++i) {
    const auto found = Driver::now().timestamps.find(first + i);
    const bool there = found != Driver::now().timestamps.end();
    results[2 * i] = there ? found->second : 0;
    results[2 * i + 1] = there ? 1 : 0;
    if (!there) result = VK_NOT_READY;
  }
  return result;
}

inline VkResult compare_clocks(VkDevice, std::uint32_t, const VkCalibratedTimestampInfoEXT*, std::uint64_t* times,
                               std::uint64_t*) {
  times[0] = Driver::now().clocks.first;
  times[1] = static_cast<std::uint64_t>(Driver::now().clocks.second.time_since_epoch().count());
  return VK_SUCCESS;
}

inline VkResult wait_for_present(VkDevice, VkSwapchainKHR, std::uint64_t number, std::uint64_t) {
  if (on_screen >= number) return VK_SUCCESS;
  ::usleep(1'000);
  return VK_TIMEOUT;
}

/// A device of the driver with one family of queues.
inline probe::Device made_up_device(VkQueueFlags does, VkPhysicalDeviceType type = VK_PHYSICAL_DEVICE_TYPE_DISCRETE_GPU,
                                    std::uint32_t timestamp_bits = 64) {
  Driver::now() = Driver();
  probe::Device device;
  device.handle = reinterpret_cast<VkDevice>(1);
  device.families = {{does, 1, timestamp_bits, {1, 1, 1}}};
  device.properties.deviceType = type;
  device.properties.limits.timestampPeriod = 2;
  device.memory.memoryTypeCount = 1;
  device.memory.memoryTypes[0].propertyFlags = probe::kMapped | VK_MEMORY_PROPERTY_DEVICE_LOCAL_BIT;
  probe::Calls& vk = device.calls;
  vk.CreateImageView = &create;
  vk.DestroyImageView = &destroy;
  vk.CreateRenderPass = &create;
  vk.DestroyRenderPass = &destroy;
  vk.CreateFramebuffer = &create;
  vk.DestroyFramebuffer = &destroy;
  vk.CreateShaderModule = &create;
  vk.DestroyShaderModule = &destroy;
  vk.CreatePipelineLayout = &create;
  vk.DestroyPipelineLayout = &destroy;
  vk.DestroyPipeline = &destroy;
  vk.CreateDescriptorSetLayout = &create;
  vk.DestroyDescriptorSetLayout = &destroy;
  vk.CreateDescriptorPool = &create;
  vk.DestroyDescriptorPool = &destroy;
  vk.CreateSampler = &create;
  vk.DestroySampler = &destroy;
  vk.CreateImage = &create;
  vk.DestroyImage = &destroy;
  vk.AllocateMemory = &create;
  vk.FreeMemory = &destroy;
  vk.CreateBuffer = &create;
  vk.DestroyBuffer = &destroy;
  vk.CreateCommandPool = &create;
  vk.DestroyCommandPool = &destroy;
  vk.CreateFence = &create;
  vk.DestroyFence = &destroy;
  vk.CreateSemaphore = &create;
  vk.DestroySemaphore = &destroy;
  vk.CreateQueryPool = &create;
  vk.DestroyQueryPool = &destroy;
  vk.CreateGraphicsPipelines = [](VkDevice, VkPipelineCache, std::uint32_t, const VkGraphicsPipelineCreateInfo*,
                                  const VkAllocationCallbacks*, VkPipeline* into) { return Driver::now().make(into); };
  vk.CreateComputePipelines = [](VkDevice, VkPipelineCache, std::uint32_t, const VkComputePipelineCreateInfo*,
                                 const VkAllocationCallbacks*, VkPipeline* into) { return Driver::now().make(into); };
  // Sets and command buffers go with their pools.
  vk.AllocateDescriptorSets = [](VkDevice, const VkDescriptorSetAllocateInfo*, VkDescriptorSet* into) {
    *into = reinterpret_cast<VkDescriptorSet>(7);
    return Driver::now().next();
  };
  vk.AllocateCommandBuffers = [](VkDevice, const VkCommandBufferAllocateInfo*, VkCommandBuffer* into) {
    *into = reinterpret_cast<VkCommandBuffer>(++Driver::now().made);
    return Driver::now().next();
  };
  vk.GetSwapchainImagesKHR = [](VkDevice, VkSwapchainKHR, std::uint32_t* count, VkImage* images) {
    *count = Driver::now().images;
    for (std::uint32_t i = 0; images != nullptr && i < *count; ++i)
      images[i] = reinterpret_cast<VkImage>(1'000'000 + i);
    return images == nullptr ? VK_SUCCESS : Driver::now().next();
  };
  vk.GetImageMemoryRequirements = [](VkDevice, VkImage, VkMemoryRequirements* needs) { *needs = {64, 1, 1}; };
  vk.GetBufferMemoryRequirements = [](VkDevice, VkBuffer, VkMemoryRequirements* needs) { *needs = {64, 1, 1}; };
  vk.BindImageMemory = [](VkDevice, VkImage, VkDeviceMemory, VkDeviceSize) { return Driver::now().next(); };
  vk.BindBufferMemory = [](VkDevice, VkBuffer, VkDeviceMemory, VkDeviceSize) { return Driver::now().next(); };
  vk.MapMemory = [](VkDevice, VkDeviceMemory, VkDeviceSize, VkDeviceSize, VkMemoryMapFlags, void** into) {
    *into = Driver::now().memory.data();
    return Driver::now().next();
  };
  vk.UpdateDescriptorSets = [](VkDevice, std::uint32_t, const VkWriteDescriptorSet*, std::uint32_t,
                               const VkCopyDescriptorSet*) {};
  vk.BeginCommandBuffer = [](VkCommandBuffer, const VkCommandBufferBeginInfo*) { return VK_SUCCESS; };
  vk.EndCommandBuffer = [](VkCommandBuffer) { return VK_SUCCESS; };
  vk.ResetFences = [](VkDevice, std::uint32_t, const VkFence*) { return VK_SUCCESS; };
  vk.WaitForFences = [](VkDevice, std::uint32_t, const VkFence*, VkBool32, std::uint64_t) {
    ++Driver::now().fence_waits;
    return Driver::now().hangs ? VK_TIMEOUT : VK_SUCCESS;
  };
  vk.QueueSubmit = &submit;
  vk.GetCalibratedTimestampsEXT = &compare_clocks;
  vk.WaitForPresentKHR = &wait_for_present;
  vk.QueueWaitIdle = [](VkQueue) { return Driver::now().next(); };
  vk.GetQueryPoolResults = &query_results;
  vk.CmdPipelineBarrier = [](VkCommandBuffer, VkPipelineStageFlags, VkPipelineStageFlags, VkDependencyFlags,
                             std::uint32_t, const VkMemoryBarrier*, std::uint32_t, const VkBufferMemoryBarrier*,
                             std::uint32_t, const VkImageMemoryBarrier*) {};
  vk.CmdCopyBufferToImage = [](VkCommandBuffer, VkBuffer, VkImage, VkImageLayout, std::uint32_t,
                               const VkBufferImageCopy* copy) { Driver::now().copies.push_back(*copy); };
  vk.CmdCopyImageToBuffer = [](VkCommandBuffer, VkImage, VkImageLayout, VkBuffer, std::uint32_t,
                               const VkBufferImageCopy* copy) { Driver::now().copies.push_back(*copy); };
  vk.CmdBeginRenderPass = [](VkCommandBuffer, const VkRenderPassBeginInfo*, VkSubpassContents) {};
  vk.CmdEndRenderPass = [](VkCommandBuffer) {};
  vk.CmdBindPipeline = [](VkCommandBuffer, VkPipelineBindPoint, VkPipeline) {};
  vk.CmdBindDescriptorSets = [](VkCommandBuffer, VkPipelineBindPoint, VkPipelineLayout, std::uint32_t, std::uint32_t,
                                const VkDescriptorSet*, std::uint32_t, const std::uint32_t*) {};
  vk.CmdPushConstants = [](VkCommandBuffer, VkPipelineLayout, VkShaderStageFlags, std::uint32_t, std::uint32_t,
                           const void*) {};
  vk.CmdSetViewport = [](VkCommandBuffer, std::uint32_t, std::uint32_t, const VkViewport*) {};
  vk.CmdSetScissor = [](VkCommandBuffer, std::uint32_t, std::uint32_t, const VkRect2D*) {};
  vk.CmdDraw = [](VkCommandBuffer, std::uint32_t, std::uint32_t, std::uint32_t, std::uint32_t) {
    ++Driver::now().draws;
  };
  vk.CmdDispatch = [](VkCommandBuffer, std::uint32_t groups, std::uint32_t, std::uint32_t) {
    Driver::now().groups.push_back(groups);
  };
  vk.CmdResetQueryPool = [](VkCommandBuffer, VkQueryPool, std::uint32_t, std::uint32_t) {};
  vk.CmdWriteTimestamp = [](VkCommandBuffer, VkPipelineStageFlagBits, VkQueryPool, std::uint32_t) {};
  return device;
}

}  // namespace idlemeter::testing
