// The Vulkan calls that the layer makes of what is below it.
#pragma once

#include <vulkan/vk_layer.h>
#include <vulkan/vulkan.h>

#include <cstdint>

namespace idlemeter::probe {

// clang-format off
#define IDLEMETER_VK_INSTANCE(X) \
  X(DestroyInstance) X(GetPhysicalDeviceMemoryProperties) \
  X(GetPhysicalDeviceQueueFamilyProperties) X(GetPhysicalDeviceProperties)

#define IDLEMETER_VK_DEVICE(X) \
  X(DestroyDevice) X(GetDeviceQueue) X(CreateSwapchainKHR) X(DestroySwapchainKHR) \
  X(GetSwapchainImagesKHR) X(QueuePresentKHR) X(QueueSubmit) X(CreateImageView) \
  X(DestroyImageView) X(CreateRenderPass) X(DestroyRenderPass) X(CreateFramebuffer) \
  X(DestroyFramebuffer) X(CreateShaderModule) X(DestroyShaderModule) X(CreatePipelineLayout) \
  X(DestroyPipelineLayout) X(CreateGraphicsPipelines) X(DestroyPipeline) X(CreateDescriptorSetLayout) \
  X(DestroyDescriptorSetLayout) X(CreateDescriptorPool) X(DestroyDescriptorPool) X(AllocateDescriptorSets) \
  X(UpdateDescriptorSets) X(CreateSampler) X(DestroySampler) X(CreateImage) \
  X(DestroyImage) X(GetImageMemoryRequirements) X(AllocateMemory) X(FreeMemory) \
  X(BindImageMemory) X(CreateBuffer) X(DestroyBuffer) X(GetBufferMemoryRequirements) \
  X(BindBufferMemory) X(MapMemory) X(CreateCommandPool) X(DestroyCommandPool) \
  X(AllocateCommandBuffers) X(BeginCommandBuffer) X(EndCommandBuffer) X(CreateFence) \
  X(DestroyFence) X(ResetFences) X(WaitForFences) X(CreateSemaphore) \
  X(DestroySemaphore) X(CmdPipelineBarrier) X(CmdCopyBufferToImage) X(CmdBeginRenderPass) \
  X(CmdEndRenderPass) X(CmdBindPipeline) X(CmdBindDescriptorSets) X(CmdPushConstants) \
  X(CmdSetViewport) X(CmdSetScissor) X(CmdDraw) X(CreateQueryPool) X(DestroyQueryPool) \
  X(GetQueryPoolResults) X(CmdResetQueryPool) X(CmdWriteTimestamp) X(QueueWaitIdle) \
  X(QueueSubmit2) X(QueueSubmit2KHR) X(CreateComputePipelines) X(CmdDispatch) \
  X(CmdCopyImageToBuffer) X(GetCalibratedTimestampsEXT) X(WaitForPresentKHR)
// clang-format on

struct Instance {
  VkInstance handle = VK_NULL_HANDLE;
  PFN_vkGetInstanceProcAddr next = nullptr;
#define IDLEMETER_MEMBER(name) PFN_vk##name name = nullptr;
  IDLEMETER_VK_INSTANCE(IDLEMETER_MEMBER)
  std::uint32_t version = VK_API_VERSION_1_0;  ///< that the game asked for
  bool is_of_opengl = false;                   ///< an OpenGL driver made it: its presents are the game's swaps
  // Calls of extensions and later versions; may be nullptr.
  PFN_vkEnumerateDeviceExtensionProperties EnumerateDeviceExtensionProperties = nullptr;
  PFN_vkGetPhysicalDeviceProperties2 GetPhysicalDeviceProperties2 = nullptr;
  PFN_vkGetPhysicalDeviceFeatures2 GetPhysicalDeviceFeatures2 = nullptr;
  PFN_vkGetPhysicalDeviceCalibrateableTimeDomainsEXT GetPhysicalDeviceCalibrateableTimeDomainsEXT = nullptr;
  PFN_vkGetPhysicalDeviceSurfaceCapabilitiesKHR GetPhysicalDeviceSurfaceCapabilitiesKHR = nullptr;
};

struct Calls {
  IDLEMETER_VK_DEVICE(IDLEMETER_MEMBER)
#undef IDLEMETER_MEMBER
};

}  // namespace idlemeter::probe
