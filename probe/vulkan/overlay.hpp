// The overlay on the images of one swapchain that is presented from a queue with graphics.
#pragma once

#include <cstdint>
#include <vector>

#include "link/probe_end.hpp"
#include "vulkan/blend_pass.hpp"

namespace idlemeter::probe {

/// One thread at a time, as the swapchain itself. Everything it makes is gone after destroy().
class Overlay {
 public:
  Overlay(const Device& device, VkSwapchainKHR swapchain, VkFormat format, VkExtent2D extent, bool drawable);

  /// Submits the picture for an image that is about to be presented on a queue of that family: after the semaphores are
  /// signalled, and signalling the one that is returned. `before` goes first, where it is any. VK_NULL_HANDLE where
  /// nothing was submitted.
  VkSemaphore draw(VkQueue queue, std::uint32_t family, std::uint32_t image, const link::ProbeEnd& end,
                   const link::Shown& shown, VkCommandBuffer before, std::uint32_t wait_count,
                   const VkSemaphore* waits);

  void destroy();

 private:
  struct PerImage {
    VkImageView view = VK_NULL_HANDLE;
    VkFramebuffer framebuffer = VK_NULL_HANDLE;
    OwnCommands commands;
    Buffer staging;
  };

  bool prepare(std::uint32_t family);
  bool make_images();
  bool make_texture(const link::Slot& slot);
  void free_texture();
  void record_upload(PerImage& image, const link::Slot& slot);
  void record_draw(PerImage& image, const link::Slot& slot);

  const Device* device_;
  VkSwapchainKHR swapchain_;
  VkFormat format_;
  VkExtent2D extent_;
  bool failed_, prepared_ = false;
  std::uint32_t family_ = 0;
  BlendPass pass_;
  VkDescriptorPool sets_ = VK_NULL_HANDLE;
  VkDescriptorSet set_ = VK_NULL_HANDLE;
  VkSampler sampler_ = VK_NULL_HANDLE;
  VkCommandPool pool_ = VK_NULL_HANDLE;
  VkImage texture_ = VK_NULL_HANDLE;
  VkImageView texture_view_ = VK_NULL_HANDLE;
  VkDeviceMemory texture_memory_ = VK_NULL_HANDLE;
  std::uint32_t width_ = 0, height_ = 0;
  std::uint64_t uploaded_ = 0;
  bool fresh_ = false;  // the texture has never been written
  std::vector<PerImage> images_;
};

}  // namespace idlemeter::probe
