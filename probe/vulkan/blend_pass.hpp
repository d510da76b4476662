// The render pass that puts a picture over an image, and its pipeline.
#pragma once

#include "vulkan/device.hpp"

namespace idlemeter::probe {

/// Everything it makes is gone after destroy().
class BlendPass {
 public:
  /// For images of a format, in the layout for presenting before and after. False if it can't be made.
  bool make(const Device& device, VkFormat format);
  void destroy(const Device& device);

  /// The shaders' constants: the place in clip coordinates (left, top, width, height), the picture's first pixel,
  /// and whether the image takes colours as linear light.
  struct Push {
    float place[4];
    std::int32_t origin[2];
    std::int32_t linear;
  };

  [[nodiscard]] VkRenderPass pass() const { return pass_; }
  [[nodiscard]] VkPipeline pipeline() const { return pipeline_; }
  [[nodiscard]] VkPipelineLayout layout() const { return layout_; }
  [[nodiscard]] const VkDescriptorSetLayout& set_layout() const { return set_layout_; }

 private:
  bool make_pass(const Device& device, VkFormat format);
  bool make_pipeline(const Device& device);
  bool make_layout(const Device& device);
  bool make_pipeline(const Device& device, const VkPipelineShaderStageCreateInfo* stages);

  VkRenderPass pass_ = VK_NULL_HANDLE;
  VkDescriptorSetLayout set_layout_ = VK_NULL_HANDLE;
  VkPipelineLayout layout_ = VK_NULL_HANDLE;
  VkPipeline pipeline_ = VK_NULL_HANDLE;
};

}  // namespace idlemeter::probe
