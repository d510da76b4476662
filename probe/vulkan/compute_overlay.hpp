// The overlay on the images of one swapchain that is presented from a queue without graphics.
#pragma once

#include <vector>

#include "link/probe_end.hpp"
#include "vulkan/device.hpp"

namespace idlemeter::probe {

/// Copies the pixels under the picture out of the image, blends them by a compute shader, and copies them back. One
/// thread at a time, as the swapchain itself. Everything it makes is gone after destroy().
class ComputeOverlay {
 public:
  /// `copyable`: pixels may be copied out of the images and into them.
  ComputeOverlay(const Device& device, VkSwapchainKHR swapchain, VkFormat format, VkExtent2D extent, bool copyable);

  /// As Overlay::draw().
  VkSemaphore draw(VkQueue queue, std::uint32_t family, std::uint32_t image, const link::ProbeEnd& end,
                   const link::Shown& shown, VkCommandBuffer before, std::uint32_t wait_count,
                   const VkSemaphore* waits);

  void destroy();

 private:
  struct PerImage {
    VkImage handle = VK_NULL_HANDLE;
    OwnCommands commands;
    VkDescriptorSet set = VK_NULL_HANDLE;
    Buffer picture, pixels;
    std::uint64_t uploaded = 0;
  };
  struct Region {
    std::uint32_t size[2], first[2], row;
    std::int32_t swapped, linear;
    VkOffset3D place;
  };

  bool prepare(std::uint32_t family);
  bool make_pipeline();
  bool make_images();
  bool make_buffers(PerImage& image, VkDeviceSize bytes);
  [[nodiscard]] Region region_of(const link::Slot& slot) const;
  void record(const PerImage& image, const Region& region) const;
  void move(const PerImage& image, VkImageLayout from, VkImageLayout to) const;
  void flush(const PerImage& image, VkPipelineStageFlags from, VkPipelineStageFlags to) const;

  const Device* device_;
  VkSwapchainKHR swapchain_;
  VkFormat format_;
  VkExtent2D extent_;
  bool failed_, prepared_ = false;
  std::uint32_t family_ = 0;
  VkDescriptorSetLayout set_layout_ = VK_NULL_HANDLE;
  VkPipelineLayout layout_ = VK_NULL_HANDLE;
  VkPipeline pipeline_ = VK_NULL_HANDLE;
  VkDescriptorPool sets_ = VK_NULL_HANDLE;
  VkCommandPool pool_ = VK_NULL_HANDLE;
  std::vector<PerImage> images_;
};

}  // namespace idlemeter::probe
