#include "vulkan/graphics_overlay.hpp"

#include <string.h>

#include <algorithm>

namespace idlemeter::probe {

bool GraphicsOverlay::prepare(const std::vector<VkImage>& images) {
  auto sampler = made<VkSamplerCreateInfo>(VK_STRUCTURE_TYPE_SAMPLER_CREATE_INFO);
  const VkDescriptorPoolSize size{VK_DESCRIPTOR_TYPE_COMBINED_IMAGE_SAMPLER, 1};
  auto sets = made<VkDescriptorPoolCreateInfo>(VK_STRUCTURE_TYPE_DESCRIPTOR_POOL_CREATE_INFO);
  sets.maxSets = 1;
  sets.poolSizeCount = 1;
  sets.pPoolSizes = &size;
  if (vk().CreateSampler(device().handle, &sampler, nullptr, &sampler_) != VK_SUCCESS) return false;
  if (vk().CreateDescriptorPool(device().handle, &sets, nullptr, &sets_) != VK_SUCCESS) return false;
  if (!pass_.make(device(), target().format)) return false;
  images_.resize(images.size());
  for (std::size_t i = 0; i < images.size(); ++i) {
    if (!make_image(images[i], images_[i])) return false;
  }
  auto set = made<VkDescriptorSetAllocateInfo>(VK_STRUCTURE_TYPE_DESCRIPTOR_SET_ALLOCATE_INFO);
  set.descriptorPool = sets_;
  set.descriptorSetCount = 1;
  set.pSetLayouts = &pass_.set_layout();
  return vk().AllocateDescriptorSets(device().handle, &set, &set_) == VK_SUCCESS;
}

bool GraphicsOverlay::make_image(VkImage image, PerImage& one) {
  auto view = made<VkImageViewCreateInfo>(VK_STRUCTURE_TYPE_IMAGE_VIEW_CREATE_INFO);
  view.image = image;
  view.viewType = VK_IMAGE_VIEW_TYPE_2D;
  view.format = target().format;
  view.subresourceRange = whole_image();
  if (vk().CreateImageView(device().handle, &view, nullptr, &one.view) != VK_SUCCESS) return false;
  auto frame = made<VkFramebufferCreateInfo>(VK_STRUCTURE_TYPE_FRAMEBUFFER_CREATE_INFO);
  frame.renderPass = pass_.pass();
  frame.attachmentCount = 1;
  frame.pAttachments = &one.view;
  frame.width = target().extent.width;
  frame.height = target().extent.height;
  frame.layers = 1;
  return vk().CreateFramebuffer(device().handle, &frame, nullptr, &one.framebuffer) == VK_SUCCESS;
}

void GraphicsOverlay::free_texture() {
  vk().DestroyImageView(device().handle, texture_view_, nullptr);
  vk().DestroyImage(device().handle, texture_, nullptr);
  vk().FreeMemory(device().handle, texture_memory_, nullptr);
  texture_view_ = VK_NULL_HANDLE;
  texture_ = VK_NULL_HANDLE;
  texture_memory_ = VK_NULL_HANDLE;
}

/// A texture in which the picture fits; replaces the last one, once no frame uses that. It is larger than it has to be,
/// so that an overlay which grows row by row waits only a few times.
bool GraphicsOverlay::make_texture(const link::Slot& slot) {
  if (!wait_for_all()) return false;
  free_texture();
  const auto room_for = [&](std::uint32_t side) {
    constexpr std::uint32_t kStep = 256;
    const std::uint32_t whole = (side + kStep - 1) / kStep * kStep;
    return whole > device().properties.limits.maxImageDimension2D ? side : whole;
  };
  width_ = std::max(width_, room_for(slot.width));
  height_ = std::max(height_, room_for(slot.height));
  uploaded_ = 0;
  fresh_ = true;
  auto image = made<VkImageCreateInfo>(VK_STRUCTURE_TYPE_IMAGE_CREATE_INFO);
  image.imageType = VK_IMAGE_TYPE_2D;
  image.format = VK_FORMAT_R8G8B8A8_UNORM;
  image.extent = {width_, height_, 1};
  image.mipLevels = image.arrayLayers = 1;
  image.samples = VK_SAMPLE_COUNT_1_BIT;
  image.usage = VK_IMAGE_USAGE_SAMPLED_BIT | VK_IMAGE_USAGE_TRANSFER_DST_BIT;
  if (vk().CreateImage(device().handle, &image, nullptr, &texture_) != VK_SUCCESS) return false;
  VkMemoryRequirements needs{};
  vk().GetImageMemoryRequirements(device().handle, texture_, &needs);
  if (!allocate_memory(device(), needs, VK_MEMORY_PROPERTY_DEVICE_LOCAL_BIT, texture_memory_)) return false;
  if (vk().BindImageMemory(device().handle, texture_, texture_memory_, 0) != VK_SUCCESS) return false;
  auto view = made<VkImageViewCreateInfo>(VK_STRUCTURE_TYPE_IMAGE_VIEW_CREATE_INFO);
  view.image = texture_;
  view.viewType = VK_IMAGE_VIEW_TYPE_2D;
  view.format = image.format;
  view.subresourceRange = whole_image();
  if (vk().CreateImageView(device().handle, &view, nullptr, &texture_view_) != VK_SUCCESS) return false;
  show_texture();
  return true;
}

/// The shader samples the texture from now on.
void GraphicsOverlay::show_texture() const {
  const VkDescriptorImageInfo shown{sampler_, texture_view_, VK_IMAGE_LAYOUT_SHADER_READ_ONLY_OPTIMAL};
  auto write = made<VkWriteDescriptorSet>(VK_STRUCTURE_TYPE_WRITE_DESCRIPTOR_SET);
  write.dstSet = set_;
  write.descriptorCount = 1;
  write.descriptorType = VK_DESCRIPTOR_TYPE_COMBINED_IMAGE_SAMPLER;
  write.pImageInfo = &shown;
  vk().UpdateDescriptorSets(device().handle, 1, &write, 0, nullptr);
}

bool GraphicsOverlay::take(std::size_t index, const link::ProbeEnd& end, const link::Shown& shown) {
  const link::Slot& slot = shown.slot;
  if ((slot.width > width_ || slot.height > height_) && !make_texture(slot)) return false;
  uploads_ = uploaded_ != shown.id;
  if (!uploads_) return true;
  Buffer& staging = images_[index].staging;
  const VkDeviceSize bytes = VkDeviceSize{slot.width} * slot.height * 4;
  if (!staging.make_larger(device(), bytes, VK_BUFFER_USAGE_TRANSFER_SRC_BIT, kMapped)) return false;
  ::memcpy(staging.mapped, shown.pixels, bytes);
  uploaded_ = end.still_whole(shown.id) ? shown.id : 0;
  return true;
}

void GraphicsOverlay::record_upload(VkCommandBuffer commands, const PerImage& image, const link::Slot& slot) {
  auto barrier = made<VkImageMemoryBarrier>(VK_STRUCTURE_TYPE_IMAGE_MEMORY_BARRIER);
  barrier.srcQueueFamilyIndex = barrier.dstQueueFamilyIndex = VK_QUEUE_FAMILY_IGNORED;
  barrier.image = texture_;
  barrier.subresourceRange = whole_image();
  barrier.oldLayout = fresh_ ? VK_IMAGE_LAYOUT_UNDEFINED : VK_IMAGE_LAYOUT_SHADER_READ_ONLY_OPTIMAL;
  barrier.newLayout = VK_IMAGE_LAYOUT_TRANSFER_DST_OPTIMAL;
  barrier.dstAccessMask = VK_ACCESS_TRANSFER_WRITE_BIT;
  vk().CmdPipelineBarrier(commands, VK_PIPELINE_STAGE_FRAGMENT_SHADER_BIT, VK_PIPELINE_STAGE_TRANSFER_BIT, 0, 0,
                          nullptr, 0, nullptr, 1, &barrier);
  VkBufferImageCopy copy{};
  copy.imageSubresource = {VK_IMAGE_ASPECT_COLOR_BIT, 0, 0, 1};
  copy.imageExtent = {slot.width, slot.height, 1};
  vk().CmdCopyBufferToImage(commands, image.staging.handle, texture_, VK_IMAGE_LAYOUT_TRANSFER_DST_OPTIMAL, 1, &copy);
  barrier.oldLayout = VK_IMAGE_LAYOUT_TRANSFER_DST_OPTIMAL;
  barrier.newLayout = VK_IMAGE_LAYOUT_SHADER_READ_ONLY_OPTIMAL;
  barrier.srcAccessMask = VK_ACCESS_TRANSFER_WRITE_BIT;
  barrier.dstAccessMask = VK_ACCESS_SHADER_READ_BIT;
  vk().CmdPipelineBarrier(commands, VK_PIPELINE_STAGE_TRANSFER_BIT, VK_PIPELINE_STAGE_FRAGMENT_SHADER_BIT, 0, 0,
                          nullptr, 0, nullptr, 1, &barrier);
  fresh_ = false;
}

void GraphicsOverlay::record(VkCommandBuffer commands, std::size_t index, const link::Slot& slot) {
  PerImage& image = images_[index];
  if (uploads_) record_upload(commands, image, slot);
  auto begin = made<VkRenderPassBeginInfo>(VK_STRUCTURE_TYPE_RENDER_PASS_BEGIN_INFO);
  begin.renderPass = pass_.pass();
  begin.framebuffer = image.framebuffer;
  begin.renderArea = {{0, 0}, target().extent};
  vk().CmdBeginRenderPass(commands, &begin, VK_SUBPASS_CONTENTS_INLINE);
  vk().CmdBindPipeline(commands, VK_PIPELINE_BIND_POINT_GRAPHICS, pass_.pipeline());
  const VkViewport viewport{0, 0, static_cast<float>(target().extent.width), static_cast<float>(target().extent.height),
                            0, 1};
  const VkRect2D scissor{{0, 0}, target().extent};
  vk().CmdSetViewport(commands, 0, 1, &viewport);
  vk().CmdSetScissor(commands, 0, 1, &scissor);
  vk().CmdBindDescriptorSets(commands, VK_PIPELINE_BIND_POINT_GRAPHICS, pass_.layout(), 0, 1, &set_, 0, nullptr);
  const auto share = [](double pixels, std::uint32_t all) { return static_cast<float>(2 * pixels / all); };
  const BlendPass::Push push{{share(slot.x, target().extent.width) - 1, share(slot.y, target().extent.height) - 1,
                              share(slot.width, target().extent.width), share(slot.height, target().extent.height)},
                             {slot.x, slot.y},
                             static_cast<std::int32_t>(encoding_of(target().format, target().space))};
  vk().CmdPushConstants(commands, pass_.layout(), VK_SHADER_STAGE_VERTEX_BIT | VK_SHADER_STAGE_FRAGMENT_BIT, 0,
                        sizeof push, &push);
  vk().CmdDraw(commands, 4, 1, 0, 0);
  vk().CmdEndRenderPass(commands);
}

VkPipelineStageFlags GraphicsOverlay::stages() const {
  return VK_PIPELINE_STAGE_COLOR_ATTACHMENT_OUTPUT_BIT | VK_PIPELINE_STAGE_TRANSFER_BIT;
}

void GraphicsOverlay::free() {
  for (PerImage& image : images_) {
    image.staging.destroy(device());
    vk().DestroyFramebuffer(device().handle, image.framebuffer, nullptr);
    vk().DestroyImageView(device().handle, image.view, nullptr);
  }
  free_texture();
  vk().DestroyDescriptorPool(device().handle, sets_, nullptr);
  vk().DestroySampler(device().handle, sampler_, nullptr);
  pass_.destroy(device());
}

}  // namespace idlemeter::probe
