// The overlay of a game that presents from a queue with graphics.
#pragma once

#include "vulkan/blend_pass.hpp"
#include "vulkan/overlay.hpp"

namespace idlemeter::probe {

/// Draws the picture as a texture, by a render pass over the image.
class GraphicsOverlay final : public Overlay {
 public:
  using Overlay::Overlay;

 private:
  struct PerImage {
    VkImageView view = VK_NULL_HANDLE;
    VkFramebuffer framebuffer = VK_NULL_HANDLE;
    Buffer staging;
  };

  bool prepare(const std::vector<VkImage>& images) override;
  bool take(std::size_t index, const link::ProbeEnd& end, const link::Shown& shown) override;
  void record(VkCommandBuffer commands, std::size_t index, const link::Slot& slot) override;
  [[nodiscard]] VkPipelineStageFlags stages() const override;
  void free() override;

  bool make_image(VkImage image, PerImage& one);
  bool make_texture(const link::Slot& slot);
  void show_texture() const;
  void free_texture();
  void record_upload(VkCommandBuffer commands, const PerImage& image, const link::Slot& slot);

  BlendPass pass_;
  VkDescriptorPool sets_ = VK_NULL_HANDLE;
  VkDescriptorSet set_ = VK_NULL_HANDLE;
  VkSampler sampler_ = VK_NULL_HANDLE;
  VkImage texture_ = VK_NULL_HANDLE;
  VkImageView texture_view_ = VK_NULL_HANDLE;
  VkDeviceMemory texture_memory_ = VK_NULL_HANDLE;
  std::uint32_t width_ = 0, height_ = 0;
  std::uint64_t uploaded_ = 0;
  bool fresh_ = false;    // the texture has never been written
  bool uploads_ = false;  // the new picture has to be copied to the texture
  std::vector<PerImage> images_;
};

}  // namespace idlemeter::probe
