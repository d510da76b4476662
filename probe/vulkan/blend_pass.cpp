#include "vulkan/blend_pass.hpp"

#include <iterator>

#include "overlay_frag.hpp"
#include "overlay_vert.hpp"

namespace idlemeter::probe {
namespace {

constexpr VkPipelineStageFlags kWriters =
    VK_PIPELINE_STAGE_COLOR_ATTACHMENT_OUTPUT_BIT | VK_PIPELINE_STAGE_TRANSFER_BIT;

/// After what the game has drawn, and before the image is presented.
constexpr VkSubpassDependency kDependencies[] = {
    {VK_SUBPASS_EXTERNAL, 0, kWriters, VK_PIPELINE_STAGE_COLOR_ATTACHMENT_OUTPUT_BIT,
     VK_ACCESS_COLOR_ATTACHMENT_WRITE_BIT | VK_ACCESS_TRANSFER_WRITE_BIT,
     VK_ACCESS_COLOR_ATTACHMENT_READ_BIT | VK_ACCESS_COLOR_ATTACHMENT_WRITE_BIT, 0},
    {0, VK_SUBPASS_EXTERNAL, VK_PIPELINE_STAGE_COLOR_ATTACHMENT_OUTPUT_BIT, VK_PIPELINE_STAGE_BOTTOM_OF_PIPE_BIT,
     VK_ACCESS_COLOR_ATTACHMENT_WRITE_BIT, 0, 0}};

/// The two shaders of the overlay; needed until the pipeline is made.
struct Shaders {
  VkShaderModule modules[2] = {};
  VkPipelineShaderStageCreateInfo stages[2];

  bool make(const Device& device) {
    const std::uint32_t* codes[] = {overlay_vert, overlay_frag};
    const std::size_t sizes[] = {sizeof overlay_vert, sizeof overlay_frag};
    bool right = true;
    for (int i = 0; i < 2; ++i) {
      auto info = made<VkShaderModuleCreateInfo>(VK_STRUCTURE_TYPE_SHADER_MODULE_CREATE_INFO);
      info.codeSize = sizes[i];
      info.pCode = codes[i];
      right = right && device.calls.CreateShaderModule(device.handle, &info, nullptr, &modules[i]) == VK_SUCCESS;
      stages[i] = made<VkPipelineShaderStageCreateInfo>(VK_STRUCTURE_TYPE_PIPELINE_SHADER_STAGE_CREATE_INFO);
      stages[i].stage = i == 0 ? VK_SHADER_STAGE_VERTEX_BIT : VK_SHADER_STAGE_FRAGMENT_BIT;
      stages[i].module = modules[i];
      stages[i].pName = "main";
    }
    return right;
  }

  void destroy(const Device& device) const {
    for (VkShaderModule module : modules) device.calls.DestroyShaderModule(device.handle, module, nullptr);
  }
};

/// A strip of two triangles, blended over what is there (premultiplied alpha), at a viewport that is set later.
struct FixedStages {
  VkPipelineVertexInputStateCreateInfo vertices =
      made<VkPipelineVertexInputStateCreateInfo>(VK_STRUCTURE_TYPE_PIPELINE_VERTEX_INPUT_STATE_CREATE_INFO);
  VkPipelineInputAssemblyStateCreateInfo assembly =
      made<VkPipelineInputAssemblyStateCreateInfo>(VK_STRUCTURE_TYPE_PIPELINE_INPUT_ASSEMBLY_STATE_CREATE_INFO);
  VkPipelineViewportStateCreateInfo view =
      made<VkPipelineViewportStateCreateInfo>(VK_STRUCTURE_TYPE_PIPELINE_VIEWPORT_STATE_CREATE_INFO);
  VkPipelineRasterizationStateCreateInfo raster =
      made<VkPipelineRasterizationStateCreateInfo>(VK_STRUCTURE_TYPE_PIPELINE_RASTERIZATION_STATE_CREATE_INFO);
  VkPipelineMultisampleStateCreateInfo samples =
      made<VkPipelineMultisampleStateCreateInfo>(VK_STRUCTURE_TYPE_PIPELINE_MULTISAMPLE_STATE_CREATE_INFO);
  VkPipelineColorBlendAttachmentState over{};
  VkPipelineColorBlendStateCreateInfo blend =
      made<VkPipelineColorBlendStateCreateInfo>(VK_STRUCTURE_TYPE_PIPELINE_COLOR_BLEND_STATE_CREATE_INFO);
  static constexpr VkDynamicState kDynamic[] = {VK_DYNAMIC_STATE_VIEWPORT, VK_DYNAMIC_STATE_SCISSOR};
  VkPipelineDynamicStateCreateInfo dynamic =
      made<VkPipelineDynamicStateCreateInfo>(VK_STRUCTURE_TYPE_PIPELINE_DYNAMIC_STATE_CREATE_INFO);

  FixedStages() {
    assembly.topology = VK_PRIMITIVE_TOPOLOGY_TRIANGLE_STRIP;
    view.viewportCount = view.scissorCount = 1;
    raster.polygonMode = VK_POLYGON_MODE_FILL;
    raster.lineWidth = 1;
    samples.rasterizationSamples = VK_SAMPLE_COUNT_1_BIT;
    over.blendEnable = VK_TRUE;
    over.srcColorBlendFactor = over.srcAlphaBlendFactor = VK_BLEND_FACTOR_ONE;
    over.dstColorBlendFactor = over.dstAlphaBlendFactor = VK_BLEND_FACTOR_ONE_MINUS_SRC_ALPHA;
    over.colorWriteMask = 0xf;
    blend.attachmentCount = 1;
    blend.pAttachments = &over;
    dynamic.dynamicStateCount = 2;
    dynamic.pDynamicStates = kDynamic;
  }
  FixedStages(const FixedStages&) = delete;  // blend points into it
  FixedStages& operator=(const FixedStages&) = delete;
};

}  // namespace

bool BlendPass::make(const Device& device, VkFormat format) {
  return make_pass(device, format) && make_pipeline(device);
}

/// Keeps what the game has drawn, and leaves the image ready to present.
bool BlendPass::make_pass(const Device& device, VkFormat format) {
  VkAttachmentDescription color{};
  color.format = format;
  color.samples = VK_SAMPLE_COUNT_1_BIT;
  color.loadOp = VK_ATTACHMENT_LOAD_OP_LOAD;
  color.storeOp = VK_ATTACHMENT_STORE_OP_STORE;
  color.stencilLoadOp = VK_ATTACHMENT_LOAD_OP_DONT_CARE;
  color.stencilStoreOp = VK_ATTACHMENT_STORE_OP_DONT_CARE;
  color.initialLayout = color.finalLayout = VK_IMAGE_LAYOUT_PRESENT_SRC_KHR;
  const VkAttachmentReference reference{0, VK_IMAGE_LAYOUT_COLOR_ATTACHMENT_OPTIMAL};
  VkSubpassDescription subpass{};
  subpass.pipelineBindPoint = VK_PIPELINE_BIND_POINT_GRAPHICS;
  subpass.colorAttachmentCount = 1;
  subpass.pColorAttachments = &reference;
  auto info = made<VkRenderPassCreateInfo>(VK_STRUCTURE_TYPE_RENDER_PASS_CREATE_INFO);
  info.attachmentCount = 1;
  info.pAttachments = &color;
  info.subpassCount = 1;
  info.pSubpasses = &subpass;
  info.dependencyCount = static_cast<std::uint32_t>(std::size(kDependencies));
  info.pDependencies = kDependencies;
  return device.calls.CreateRenderPass(device.handle, &info, nullptr, &pass_) == VK_SUCCESS;
}

bool BlendPass::make_pipeline(const Device& device) {
  Shaders shaders;
  const bool done = make_layout(device) && shaders.make(device) && make_pipeline(device, shaders.stages);
  shaders.destroy(device);
  return done;
}

/// One texture, and where it lies.
bool BlendPass::make_layout(const Device& device) {
  const VkDescriptorSetLayoutBinding binding{0, VK_DESCRIPTOR_TYPE_COMBINED_IMAGE_SAMPLER, 1,
                                             VK_SHADER_STAGE_FRAGMENT_BIT, nullptr};
  auto set_info = made<VkDescriptorSetLayoutCreateInfo>(VK_STRUCTURE_TYPE_DESCRIPTOR_SET_LAYOUT_CREATE_INFO);
  set_info.bindingCount = 1;
  set_info.pBindings = &binding;
  if (device.calls.CreateDescriptorSetLayout(device.handle, &set_info, nullptr, &set_layout_) != VK_SUCCESS)
    return false;
  const VkPushConstantRange push{VK_SHADER_STAGE_VERTEX_BIT | VK_SHADER_STAGE_FRAGMENT_BIT, 0, sizeof(Push)};
  auto layout_info = made<VkPipelineLayoutCreateInfo>(VK_STRUCTURE_TYPE_PIPELINE_LAYOUT_CREATE_INFO);
  layout_info.setLayoutCount = 1;
  layout_info.pSetLayouts = &set_layout_;
  layout_info.pushConstantRangeCount = 1;
  layout_info.pPushConstantRanges = &push;
  return device.calls.CreatePipelineLayout(device.handle, &layout_info, nullptr, &layout_) == VK_SUCCESS;
}

bool BlendPass::make_pipeline(const Device& device, const VkPipelineShaderStageCreateInfo* stages) {
  const FixedStages fixed;
  auto info = made<VkGraphicsPipelineCreateInfo>(VK_STRUCTURE_TYPE_GRAPHICS_PIPELINE_CREATE_INFO);
  info.stageCount = 2;
  info.pStages = stages;
  info.pVertexInputState = &fixed.vertices;
  info.pInputAssemblyState = &fixed.assembly;
  info.pViewportState = &fixed.view;
  info.pRasterizationState = &fixed.raster;
  info.pMultisampleState = &fixed.samples;
  info.pColorBlendState = &fixed.blend;
  info.pDynamicState = &fixed.dynamic;
  info.layout = layout_;
  info.renderPass = pass_;
  return device.calls.CreateGraphicsPipelines(device.handle, VK_NULL_HANDLE, 1, &info, nullptr, &pipeline_) ==
         VK_SUCCESS;
}

void BlendPass::destroy(const Device& device) {
  const Calls& vk = device.calls;
  vk.DestroyPipeline(device.handle, pipeline_, nullptr);
  vk.DestroyPipelineLayout(device.handle, layout_, nullptr);
  vk.DestroyDescriptorSetLayout(device.handle, set_layout_, nullptr);
  vk.DestroyRenderPass(device.handle, pass_, nullptr);
}

}  // namespace idlemeter::probe
