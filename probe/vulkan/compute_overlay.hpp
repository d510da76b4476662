// The overlay of a game that presents from a queue without graphics.
#pragma once

#include "vulkan/overlay.hpp"

namespace idlemeter::probe {

/// Copies the pixels under the picture out of the image, blends them in a compute shader, and copies them back. For
/// images that can be copied from and to.
class ComputeOverlay final : public Overlay {
 public:
  using Overlay::Overlay;

  /// Whether the shader understands images of the format.
  static bool knows(VkFormat format);

 private:
  struct PerImage {
    VkImage handle = VK_NULL_HANDLE;
    VkDescriptorSet set = VK_NULL_HANDLE;
    Buffer picture, pixels;
    std::uint64_t uploaded = 0;
  };
  struct Region {
    std::uint32_t size[2], first[2], row;
    std::int32_t swapped, linear;
    VkOffset3D place;
  };

  bool prepare(const std::vector<VkImage>& images) override;
  bool take(std::size_t index, const link::ProbeEnd& end, const link::Shown& shown) override;
  void record(VkCommandBuffer commands, std::size_t index, const link::Slot& slot) override;
  [[nodiscard]] VkPipelineStageFlags stages() const override { return VK_PIPELINE_STAGE_TRANSFER_BIT; }
  void free() override;

  bool make_layout();
  bool make_pipeline();
  bool make_buffers(PerImage& image, VkDeviceSize bytes);
  void describe(const PerImage& image);
  [[nodiscard]] Region region_of(const link::Slot& slot) const;
  void move(VkCommandBuffer commands, const PerImage& image, VkImageLayout from, VkImageLayout to) const;
  void flush(VkCommandBuffer commands, const PerImage& image, VkPipelineStageFlags from, VkPipelineStageFlags to) const;

  VkDescriptorSetLayout set_layout_ = VK_NULL_HANDLE;
  VkPipelineLayout layout_ = VK_NULL_HANDLE;
  VkPipeline pipeline_ = VK_NULL_HANDLE;
  VkDescriptorPool sets_ = VK_NULL_HANDLE;
  std::vector<PerImage> images_;
};

}  // namespace idlemeter::probe
