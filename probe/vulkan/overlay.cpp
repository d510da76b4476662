#include "vulkan/overlay.hpp"

#include <string.h>

#include <algorithm>

#include "overlay_frag.hpp"
#include "overlay_vert.hpp"

namespace idlemeter::probe {
namespace {

constexpr std::uint32_t kMostWaits = 16;  // a present waits for one or two; the list is on the stack

struct Push {
  float place[4];
  std::int32_t origin[2];
  std::int32_t linear;
};

bool is_srgb(VkFormat format) {
  return format == VK_FORMAT_B8G8R8A8_SRGB || format == VK_FORMAT_R8G8B8A8_SRGB ||
         format == VK_FORMAT_A8B8G8R8_SRGB_PACK32;
}

template <typename T>
T made(VkStructureType type) {
  T info{};
  info.sType = type;
  return info;
}

VkImageSubresourceRange whole() { return {VK_IMAGE_ASPECT_COLOR_BIT, 0, 1, 0, 1}; }

}  // namespace

Overlay::Overlay(const Device& device, VkSwapchainKHR swapchain, VkFormat format, VkExtent2D extent, bool drawable)
    : device_(&device), swapchain_(swapchain), format_(format), extent_(extent), failed_(!drawable) {}

bool Overlay::allocate(const VkMemoryRequirements& needs, VkMemoryPropertyFlags properties, Memory& into) const {
  for (std::uint32_t i = 0; i < device_->memory.memoryTypeCount; ++i) {
    const bool fits = (needs.memoryTypeBits & 1u << i) != 0 &&
                      (device_->memory.memoryTypes[i].propertyFlags & properties) == properties;
    if (!fits) continue;
    auto info = made<VkMemoryAllocateInfo>(VK_STRUCTURE_TYPE_MEMORY_ALLOCATE_INFO);
    info.allocationSize = needs.size;
    info.memoryTypeIndex = i;
    into.size = needs.size;
    return device_->calls.AllocateMemory(device_->handle, &info, nullptr, &into.memory) == VK_SUCCESS;
  }
  return false;
}

/// Loads what the game has drawn, and leaves the image as presenting wants it.
bool Overlay::make_pass() {
  VkAttachmentDescription color{};
  color.format = format_;
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
  constexpr VkPipelineStageFlags kWriters =
      VK_PIPELINE_STAGE_COLOR_ATTACHMENT_OUTPUT_BIT | VK_PIPELINE_STAGE_TRANSFER_BIT;
  const VkSubpassDependency dependencies[] = {
      {VK_SUBPASS_EXTERNAL, 0, kWriters, VK_PIPELINE_STAGE_COLOR_ATTACHMENT_OUTPUT_BIT,
       VK_ACCESS_COLOR_ATTACHMENT_WRITE_BIT | VK_ACCESS_TRANSFER_WRITE_BIT,
       VK_ACCESS_COLOR_ATTACHMENT_READ_BIT | VK_ACCESS_COLOR_ATTACHMENT_WRITE_BIT, 0},
      {0, VK_SUBPASS_EXTERNAL, VK_PIPELINE_STAGE_COLOR_ATTACHMENT_OUTPUT_BIT, VK_PIPELINE_STAGE_BOTTOM_OF_PIPE_BIT,
       VK_ACCESS_COLOR_ATTACHMENT_WRITE_BIT, 0, 0}};
  auto info = made<VkRenderPassCreateInfo>(VK_STRUCTURE_TYPE_RENDER_PASS_CREATE_INFO);
  info.attachmentCount = 1;
  info.pAttachments = &color;
  info.subpassCount = 1;
  info.pSubpasses = &subpass;
  info.dependencyCount = 2;
  info.pDependencies = dependencies;
  return device_->calls.CreateRenderPass(device_->handle, &info, nullptr, &pass_) == VK_SUCCESS;
}

bool Overlay::make_pipeline() {
  const Calls& vk = device_->calls;
  const VkDescriptorSetLayoutBinding binding{0, VK_DESCRIPTOR_TYPE_COMBINED_IMAGE_SAMPLER, 1,
                                             VK_SHADER_STAGE_FRAGMENT_BIT, nullptr};
  auto set_info = made<VkDescriptorSetLayoutCreateInfo>(VK_STRUCTURE_TYPE_DESCRIPTOR_SET_LAYOUT_CREATE_INFO);
  set_info.bindingCount = 1;
  set_info.pBindings = &binding;
  if (vk.CreateDescriptorSetLayout(device_->handle, &set_info, nullptr, &set_layout_) != VK_SUCCESS) return false;
  const VkPushConstantRange push{VK_SHADER_STAGE_VERTEX_BIT | VK_SHADER_STAGE_FRAGMENT_BIT, 0, sizeof(Push)};
  auto layout_info = made<VkPipelineLayoutCreateInfo>(VK_STRUCTURE_TYPE_PIPELINE_LAYOUT_CREATE_INFO);
  layout_info.setLayoutCount = 1;
  layout_info.pSetLayouts = &set_layout_;
  layout_info.pushConstantRangeCount = 1;
  layout_info.pPushConstantRanges = &push;
  if (vk.CreatePipelineLayout(device_->handle, &layout_info, nullptr, &layout_) != VK_SUCCESS) return false;

  VkShaderModule modules[2] = {};
  const std::uint32_t* codes[] = {overlay_vert, overlay_frag};
  const std::size_t sizes[] = {sizeof overlay_vert, sizeof overlay_frag};
  VkPipelineShaderStageCreateInfo stages[2];
  bool right = true;
  for (int i = 0; i < 2; ++i) {
    auto info = made<VkShaderModuleCreateInfo>(VK_STRUCTURE_TYPE_SHADER_MODULE_CREATE_INFO);
    info.codeSize = sizes[i];
    info.pCode = codes[i];
    right = right && vk.CreateShaderModule(device_->handle, &info, nullptr, &modules[i]) == VK_SUCCESS;
    stages[i] = made<VkPipelineShaderStageCreateInfo>(VK_STRUCTURE_TYPE_PIPELINE_SHADER_STAGE_CREATE_INFO);
    stages[i].stage = i == 0 ? VK_SHADER_STAGE_VERTEX_BIT : VK_SHADER_STAGE_FRAGMENT_BIT;
    stages[i].module = modules[i];
    stages[i].pName = "main";
  }
  const auto vertices =
      made<VkPipelineVertexInputStateCreateInfo>(VK_STRUCTURE_TYPE_PIPELINE_VERTEX_INPUT_STATE_CREATE_INFO);
  auto assembly =
      made<VkPipelineInputAssemblyStateCreateInfo>(VK_STRUCTURE_TYPE_PIPELINE_INPUT_ASSEMBLY_STATE_CREATE_INFO);
  assembly.topology = VK_PRIMITIVE_TOPOLOGY_TRIANGLE_STRIP;
  auto view = made<VkPipelineViewportStateCreateInfo>(VK_STRUCTURE_TYPE_PIPELINE_VIEWPORT_STATE_CREATE_INFO);
  view.viewportCount = view.scissorCount = 1;
  auto raster =
      made<VkPipelineRasterizationStateCreateInfo>(VK_STRUCTURE_TYPE_PIPELINE_RASTERIZATION_STATE_CREATE_INFO);
  raster.polygonMode = VK_POLYGON_MODE_FILL;
  raster.lineWidth = 1;
  auto samples = made<VkPipelineMultisampleStateCreateInfo>(VK_STRUCTURE_TYPE_PIPELINE_MULTISAMPLE_STATE_CREATE_INFO);
  samples.rasterizationSamples = VK_SAMPLE_COUNT_1_BIT;
  VkPipelineColorBlendAttachmentState over{};
  over.blendEnable = VK_TRUE;
  over.srcColorBlendFactor = over.srcAlphaBlendFactor = VK_BLEND_FACTOR_ONE;
  over.dstColorBlendFactor = over.dstAlphaBlendFactor = VK_BLEND_FACTOR_ONE_MINUS_SRC_ALPHA;
  over.colorWriteMask = 0xf;
  auto blend = made<VkPipelineColorBlendStateCreateInfo>(VK_STRUCTURE_TYPE_PIPELINE_COLOR_BLEND_STATE_CREATE_INFO);
  blend.attachmentCount = 1;
  blend.pAttachments = &over;
  constexpr VkDynamicState kDynamic[] = {VK_DYNAMIC_STATE_VIEWPORT, VK_DYNAMIC_STATE_SCISSOR};
  auto dynamic = made<VkPipelineDynamicStateCreateInfo>(VK_STRUCTURE_TYPE_PIPELINE_DYNAMIC_STATE_CREATE_INFO);
  dynamic.dynamicStateCount = 2;
  dynamic.pDynamicStates = kDynamic;
  auto info = made<VkGraphicsPipelineCreateInfo>(VK_STRUCTURE_TYPE_GRAPHICS_PIPELINE_CREATE_INFO);
  info.stageCount = 2;
  info.pStages = stages;
  info.pVertexInputState = &vertices;
  info.pInputAssemblyState = &assembly;
  info.pViewportState = &view;
  info.pRasterizationState = &raster;
  info.pMultisampleState = &samples;
  info.pColorBlendState = &blend;
  info.pDynamicState = &dynamic;
  info.layout = layout_;
  info.renderPass = pass_;
  right =
      right && vk.CreateGraphicsPipelines(device_->handle, VK_NULL_HANDLE, 1, &info, nullptr, &pipeline_) == VK_SUCCESS;
  for (VkShaderModule module : modules) vk.DestroyShaderModule(device_->handle, module, nullptr);
  return right;
}

bool Overlay::make_images() {
  const Calls& vk = device_->calls;
  std::uint32_t count = 0;
  vk.GetSwapchainImagesKHR(device_->handle, swapchain_, &count, nullptr);
  std::vector<VkImage> images(count);
  if (vk.GetSwapchainImagesKHR(device_->handle, swapchain_, &count, images.data()) != VK_SUCCESS) return false;
  images_.resize(count);
  for (std::uint32_t i = 0; i < count; ++i) {
    PerImage& one = images_[i];
    auto view = made<VkImageViewCreateInfo>(VK_STRUCTURE_TYPE_IMAGE_VIEW_CREATE_INFO);
    view.image = images[i];
    view.viewType = VK_IMAGE_VIEW_TYPE_2D;
    view.format = format_;
    view.subresourceRange = whole();
    if (vk.CreateImageView(device_->handle, &view, nullptr, &one.view) != VK_SUCCESS) return false;
    auto frame = made<VkFramebufferCreateInfo>(VK_STRUCTURE_TYPE_FRAMEBUFFER_CREATE_INFO);
    frame.renderPass = pass_;
    frame.attachmentCount = 1;
    frame.pAttachments = &one.view;
    frame.width = extent_.width;
    frame.height = extent_.height;
    frame.layers = 1;
    if (vk.CreateFramebuffer(device_->handle, &frame, nullptr, &one.framebuffer) != VK_SUCCESS) return false;
    const auto fence = made<VkFenceCreateInfo>(VK_STRUCTURE_TYPE_FENCE_CREATE_INFO);
    const auto semaphore = made<VkSemaphoreCreateInfo>(VK_STRUCTURE_TYPE_SEMAPHORE_CREATE_INFO);
    if (vk.CreateFence(device_->handle, &fence, nullptr, &one.fence) != VK_SUCCESS) return false;
    if (vk.CreateSemaphore(device_->handle, &semaphore, nullptr, &one.done) != VK_SUCCESS) return false;
    auto commands = made<VkCommandBufferAllocateInfo>(VK_STRUCTURE_TYPE_COMMAND_BUFFER_ALLOCATE_INFO);
    commands.commandPool = pool_;
    commands.level = VK_COMMAND_BUFFER_LEVEL_PRIMARY;
    commands.commandBufferCount = 1;
    if (vk.AllocateCommandBuffers(device_->handle, &commands, &one.commands) != VK_SUCCESS) return false;
    if (device_->set_loader_data != nullptr) device_->set_loader_data(device_->handle, one.commands);
  }
  return true;
}

bool Overlay::prepare(std::uint32_t family) {
  const Calls& vk = device_->calls;
  prepared_ = true;
  family_ = family;
  auto pool = made<VkCommandPoolCreateInfo>(VK_STRUCTURE_TYPE_COMMAND_POOL_CREATE_INFO);
  pool.flags = VK_COMMAND_POOL_CREATE_RESET_COMMAND_BUFFER_BIT;
  pool.queueFamilyIndex = family;
  auto sampler = made<VkSamplerCreateInfo>(VK_STRUCTURE_TYPE_SAMPLER_CREATE_INFO);
  const VkDescriptorPoolSize size{VK_DESCRIPTOR_TYPE_COMBINED_IMAGE_SAMPLER, 1};
  auto sets = made<VkDescriptorPoolCreateInfo>(VK_STRUCTURE_TYPE_DESCRIPTOR_POOL_CREATE_INFO);
  sets.maxSets = 1;
  sets.poolSizeCount = 1;
  sets.pPoolSizes = &size;
  if (vk.CreateCommandPool(device_->handle, &pool, nullptr, &pool_) != VK_SUCCESS) return false;
  if (vk.CreateSampler(device_->handle, &sampler, nullptr, &sampler_) != VK_SUCCESS) return false;
  if (vk.CreateDescriptorPool(device_->handle, &sets, nullptr, &sets_) != VK_SUCCESS) return false;
  if (!make_pass() || !make_pipeline() || !make_images()) return false;
  auto set = made<VkDescriptorSetAllocateInfo>(VK_STRUCTURE_TYPE_DESCRIPTOR_SET_ALLOCATE_INFO);
  set.descriptorPool = sets_;
  set.descriptorSetCount = 1;
  set.pSetLayouts = &set_layout_;
  return vk.AllocateDescriptorSets(device_->handle, &set, &set_) == VK_SUCCESS;
}

void Overlay::wait(PerImage& image) {
  if (!image.submitted) return;
  device_->calls.WaitForFences(device_->handle, 1, &image.fence, VK_TRUE, 1'000'000'000);
  image.submitted = false;
}

void Overlay::free_texture() {
  const Calls& vk = device_->calls;
  vk.DestroyImageView(device_->handle, texture_view_, nullptr);
  vk.DestroyImage(device_->handle, texture_, nullptr);
  vk.FreeMemory(device_->handle, texture_memory_.memory, nullptr);
  texture_view_ = VK_NULL_HANDLE;
  texture_ = VK_NULL_HANDLE;
  texture_memory_ = {};
}

/// A texture of the picture's size, in place of the one before, which no frame uses any more.
bool Overlay::make_texture(const link::Slot& slot) {
  const Calls& vk = device_->calls;
  for (PerImage& image : images_) wait(image);
  free_texture();
  width_ = slot.width;
  height_ = slot.height;
  uploaded_ = 0;
  fresh_ = true;
  auto image = made<VkImageCreateInfo>(VK_STRUCTURE_TYPE_IMAGE_CREATE_INFO);
  image.imageType = VK_IMAGE_TYPE_2D;
  image.format = VK_FORMAT_R8G8B8A8_UNORM;
  image.extent = {slot.width, slot.height, 1};
  image.mipLevels = image.arrayLayers = 1;
  image.samples = VK_SAMPLE_COUNT_1_BIT;
  image.usage = VK_IMAGE_USAGE_SAMPLED_BIT | VK_IMAGE_USAGE_TRANSFER_DST_BIT;
  if (vk.CreateImage(device_->handle, &image, nullptr, &texture_) != VK_SUCCESS) return false;
  VkMemoryRequirements needs{};
  vk.GetImageMemoryRequirements(device_->handle, texture_, &needs);
  if (!allocate(needs, VK_MEMORY_PROPERTY_DEVICE_LOCAL_BIT, texture_memory_)) return false;
  if (vk.BindImageMemory(device_->handle, texture_, texture_memory_.memory, 0) != VK_SUCCESS) return false;
  auto view = made<VkImageViewCreateInfo>(VK_STRUCTURE_TYPE_IMAGE_VIEW_CREATE_INFO);
  view.image = texture_;
  view.viewType = VK_IMAGE_VIEW_TYPE_2D;
  view.format = image.format;
  view.subresourceRange = whole();
  if (vk.CreateImageView(device_->handle, &view, nullptr, &texture_view_) != VK_SUCCESS) return false;
  const VkDescriptorImageInfo shown{sampler_, texture_view_, VK_IMAGE_LAYOUT_SHADER_READ_ONLY_OPTIMAL};
  auto write = made<VkWriteDescriptorSet>(VK_STRUCTURE_TYPE_WRITE_DESCRIPTOR_SET);
  write.dstSet = set_;
  write.descriptorCount = 1;
  write.descriptorType = VK_DESCRIPTOR_TYPE_COMBINED_IMAGE_SAMPLER;
  write.pImageInfo = &shown;
  vk.UpdateDescriptorSets(device_->handle, 1, &write, 0, nullptr);
  return true;
}

void Overlay::free_staging(PerImage& image) {
  device_->calls.DestroyBuffer(device_->handle, image.staging, nullptr);
  device_->calls.FreeMemory(device_->handle, image.staging_memory.memory, nullptr);
  image.staging = VK_NULL_HANDLE;
  image.staging_memory = {};
  image.mapped = nullptr;
}

bool Overlay::make_staging(PerImage& image, VkDeviceSize size) {
  const Calls& vk = device_->calls;
  if (image.mapped != nullptr && image.staging_memory.size >= size) return true;
  free_staging(image);
  auto buffer = made<VkBufferCreateInfo>(VK_STRUCTURE_TYPE_BUFFER_CREATE_INFO);
  buffer.size = size;
  buffer.usage = VK_BUFFER_USAGE_TRANSFER_SRC_BIT;
  if (vk.CreateBuffer(device_->handle, &buffer, nullptr, &image.staging) != VK_SUCCESS) return false;
  VkMemoryRequirements needs{};
  vk.GetBufferMemoryRequirements(device_->handle, image.staging, &needs);
  constexpr VkMemoryPropertyFlags kMapped = VK_MEMORY_PROPERTY_HOST_VISIBLE_BIT | VK_MEMORY_PROPERTY_HOST_COHERENT_BIT;
  if (!allocate(needs, kMapped, image.staging_memory)) return false;
  if (vk.BindBufferMemory(device_->handle, image.staging, image.staging_memory.memory, 0) != VK_SUCCESS) return false;
  image.staging_memory.size = size;
  return vk.MapMemory(device_->handle, image.staging_memory.memory, 0, VK_WHOLE_SIZE, 0, &image.mapped) == VK_SUCCESS;
}

void Overlay::record_upload(PerImage& image, const link::Slot& slot) {
  auto barrier = made<VkImageMemoryBarrier>(VK_STRUCTURE_TYPE_IMAGE_MEMORY_BARRIER);
  barrier.srcQueueFamilyIndex = barrier.dstQueueFamilyIndex = VK_QUEUE_FAMILY_IGNORED;
  barrier.image = texture_;
  barrier.subresourceRange = whole();
  barrier.oldLayout = fresh_ ? VK_IMAGE_LAYOUT_UNDEFINED : VK_IMAGE_LAYOUT_SHADER_READ_ONLY_OPTIMAL;
  barrier.newLayout = VK_IMAGE_LAYOUT_TRANSFER_DST_OPTIMAL;
  barrier.dstAccessMask = VK_ACCESS_TRANSFER_WRITE_BIT;
  device_->calls.CmdPipelineBarrier(image.commands, VK_PIPELINE_STAGE_FRAGMENT_SHADER_BIT,
                                    VK_PIPELINE_STAGE_TRANSFER_BIT, 0, 0, nullptr, 0, nullptr, 1, &barrier);
  VkBufferImageCopy copy{};
  copy.imageSubresource = {VK_IMAGE_ASPECT_COLOR_BIT, 0, 0, 1};
  copy.imageExtent = {slot.width, slot.height, 1};
  device_->calls.CmdCopyBufferToImage(image.commands, image.staging, texture_, VK_IMAGE_LAYOUT_TRANSFER_DST_OPTIMAL, 1,
                                      &copy);
  barrier.oldLayout = VK_IMAGE_LAYOUT_TRANSFER_DST_OPTIMAL;
  barrier.newLayout = VK_IMAGE_LAYOUT_SHADER_READ_ONLY_OPTIMAL;
  barrier.srcAccessMask = VK_ACCESS_TRANSFER_WRITE_BIT;
  barrier.dstAccessMask = VK_ACCESS_SHADER_READ_BIT;
  device_->calls.CmdPipelineBarrier(image.commands, VK_PIPELINE_STAGE_TRANSFER_BIT,
                                    VK_PIPELINE_STAGE_FRAGMENT_SHADER_BIT, 0, 0, nullptr, 0, nullptr, 1, &barrier);
  fresh_ = false;
}

void Overlay::record_draw(PerImage& image, const link::Slot& slot) {
  const Calls& vk = device_->calls;
  auto begin = made<VkRenderPassBeginInfo>(VK_STRUCTURE_TYPE_RENDER_PASS_BEGIN_INFO);
  begin.renderPass = pass_;
  begin.framebuffer = image.framebuffer;
  begin.renderArea = {{0, 0}, extent_};
  vk.CmdBeginRenderPass(image.commands, &begin, VK_SUBPASS_CONTENTS_INLINE);
  vk.CmdBindPipeline(image.commands, VK_PIPELINE_BIND_POINT_GRAPHICS, pipeline_);
  const VkViewport viewport{0, 0, static_cast<float>(extent_.width), static_cast<float>(extent_.height), 0, 1};
  const VkRect2D scissor{{0, 0}, extent_};
  vk.CmdSetViewport(image.commands, 0, 1, &viewport);
  vk.CmdSetScissor(image.commands, 0, 1, &scissor);
  vk.CmdBindDescriptorSets(image.commands, VK_PIPELINE_BIND_POINT_GRAPHICS, layout_, 0, 1, &set_, 0, nullptr);
  const auto share = [](double pixels, std::uint32_t all) { return static_cast<float>(2 * pixels / all); };
  const Push push{{share(slot.x, extent_.width) - 1, share(slot.y, extent_.height) - 1,
                   share(slot.width, extent_.width), share(slot.height, extent_.height)},
                  {slot.x, slot.y},
                  is_srgb(format_) ? 1 : 0};
  vk.CmdPushConstants(image.commands, layout_, VK_SHADER_STAGE_VERTEX_BIT | VK_SHADER_STAGE_FRAGMENT_BIT, 0,
                      sizeof push, &push);
  vk.CmdDraw(image.commands, 4, 1, 0, 0);
  vk.CmdEndRenderPass(image.commands);
}

VkSemaphore Overlay::draw(VkQueue queue, std::uint32_t family, std::uint32_t index, const link::ProbeEnd& end,
                          const link::Shown& shown, std::uint32_t wait_count, const VkSemaphore* waits) {
  const bool graphics =
      family < device_->families.size() && (device_->families[family].queueFlags & VK_QUEUE_GRAPHICS_BIT) != 0;
  if (failed_ || !graphics || wait_count > kMostWaits) return VK_NULL_HANDLE;
  if (!prepared_) failed_ = !prepare(family);
  if (failed_ || family != family_ || index >= images_.size()) return VK_NULL_HANDLE;
  PerImage& image = images_[index];
  wait(image);
  if (shown.slot.width != width_ || shown.slot.height != height_) failed_ = !make_texture(shown.slot);
  const VkDeviceSize bytes = VkDeviceSize{shown.slot.width} * shown.slot.height * 4;
  const bool uploads = uploaded_ != shown.id;
  if (!failed_ && uploads) failed_ = !make_staging(image, bytes);
  if (failed_) return VK_NULL_HANDLE;
  if (uploads) {
    ::memcpy(image.mapped, shown.pixels, bytes);
    uploaded_ = end.still_whole(shown.id) ? shown.id : 0;
  }
  const Calls& vk = device_->calls;
  auto begin = made<VkCommandBufferBeginInfo>(VK_STRUCTURE_TYPE_COMMAND_BUFFER_BEGIN_INFO);
  begin.flags = VK_COMMAND_BUFFER_USAGE_ONE_TIME_SUBMIT_BIT;
  vk.BeginCommandBuffer(image.commands, &begin);
  if (uploads) record_upload(image, shown.slot);
  record_draw(image, shown.slot);
  vk.EndCommandBuffer(image.commands);
  vk.ResetFences(device_->handle, 1, &image.fence);
  VkPipelineStageFlags stages[kMostWaits];
  std::fill_n(stages, wait_count, VK_PIPELINE_STAGE_COLOR_ATTACHMENT_OUTPUT_BIT | VK_PIPELINE_STAGE_TRANSFER_BIT);
  auto submit = made<VkSubmitInfo>(VK_STRUCTURE_TYPE_SUBMIT_INFO);
  submit.waitSemaphoreCount = wait_count;
  submit.pWaitSemaphores = waits;
  submit.pWaitDstStageMask = stages;
  submit.commandBufferCount = 1;
  submit.pCommandBuffers = &image.commands;
  submit.signalSemaphoreCount = 1;
  submit.pSignalSemaphores = &image.done;
  if (vk.QueueSubmit(queue, 1, &submit, image.fence) != VK_SUCCESS) {
    failed_ = true;
    return VK_NULL_HANDLE;
  }
  image.submitted = true;
  return image.done;
}

void Overlay::destroy() {
  const Calls& vk = device_->calls;
  const VkDevice device = device_->handle;
  for (PerImage& image : images_) {
    wait(image);
    free_staging(image);
    vk.DestroyFramebuffer(device, image.framebuffer, nullptr);
    vk.DestroyImageView(device, image.view, nullptr);
    vk.DestroyFence(device, image.fence, nullptr);
    vk.DestroySemaphore(device, image.done, nullptr);
  }
  images_.clear();
  if (!prepared_) return;
  free_texture();
  vk.DestroyCommandPool(device, pool_, nullptr);
  vk.DestroyDescriptorPool(device, sets_, nullptr);
  vk.DestroySampler(device, sampler_, nullptr);
  vk.DestroyPipeline(device, pipeline_, nullptr);
  vk.DestroyPipelineLayout(device, layout_, nullptr);
  vk.DestroyDescriptorSetLayout(device, set_layout_, nullptr);
  vk.DestroyRenderPass(device, pass_, nullptr);
}

}  // namespace idlemeter::probe
