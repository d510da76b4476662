#include "vulkan/overlay.hpp"

#include <string.h>

namespace idlemeter::probe {

Overlay::Overlay(const Device& device, VkSwapchainKHR swapchain, VkFormat format, VkExtent2D extent, bool drawable)
    : device_(&device), swapchain_(swapchain), format_(format), extent_(extent), failed_(!drawable) {}

bool Overlay::make_images() {
  const Calls& vk = device_->calls;
  const std::vector<VkImage> images = images_of(*device_, swapchain_);
  images_.resize(images.size());
  for (std::size_t i = 0; i < images.size(); ++i) {
    PerImage& one = images_[i];
    auto view = made<VkImageViewCreateInfo>(VK_STRUCTURE_TYPE_IMAGE_VIEW_CREATE_INFO);
    view.image = images[i];
    view.viewType = VK_IMAGE_VIEW_TYPE_2D;
    view.format = format_;
    view.subresourceRange = whole_image();
    if (vk.CreateImageView(device_->handle, &view, nullptr, &one.view) != VK_SUCCESS) return false;
    auto frame = made<VkFramebufferCreateInfo>(VK_STRUCTURE_TYPE_FRAMEBUFFER_CREATE_INFO);
    frame.renderPass = pass_.pass();
    frame.attachmentCount = 1;
    frame.pAttachments = &one.view;
    frame.width = extent_.width;
    frame.height = extent_.height;
    frame.layers = 1;
    if (vk.CreateFramebuffer(device_->handle, &frame, nullptr, &one.framebuffer) != VK_SUCCESS) return false;
    if (!one.commands.make(*device_, pool_)) return false;
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
  if (!pass_.make(*device_, format_) || !make_images()) return false;
  auto set = made<VkDescriptorSetAllocateInfo>(VK_STRUCTURE_TYPE_DESCRIPTOR_SET_ALLOCATE_INFO);
  set.descriptorPool = sets_;
  set.descriptorSetCount = 1;
  set.pSetLayouts = &pass_.set_layout();
  return vk.AllocateDescriptorSets(device_->handle, &set, &set_) == VK_SUCCESS;
}

void Overlay::free_texture() {
  const Calls& vk = device_->calls;
  vk.DestroyImageView(device_->handle, texture_view_, nullptr);
  vk.DestroyImage(device_->handle, texture_, nullptr);
  vk.FreeMemory(device_->handle, texture_memory_, nullptr);
  texture_view_ = VK_NULL_HANDLE;
  texture_ = VK_NULL_HANDLE;
  texture_memory_ = VK_NULL_HANDLE;
}

/// A texture of the picture's size, in place of the one before, which no frame uses any more.
bool Overlay::make_texture(const link::Slot& slot) {
  const Calls& vk = device_->calls;
  for (PerImage& image : images_) image.commands.wait(*device_);
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
  if (!allocate_memory(*device_, needs, VK_MEMORY_PROPERTY_DEVICE_LOCAL_BIT, texture_memory_)) return false;
  if (vk.BindImageMemory(device_->handle, texture_, texture_memory_, 0) != VK_SUCCESS) return false;
  auto view = made<VkImageViewCreateInfo>(VK_STRUCTURE_TYPE_IMAGE_VIEW_CREATE_INFO);
  view.image = texture_;
  view.viewType = VK_IMAGE_VIEW_TYPE_2D;
  view.format = image.format;
  view.subresourceRange = whole_image();
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

void Overlay::record_upload(PerImage& image, const link::Slot& slot) {
  auto barrier = made<VkImageMemoryBarrier>(VK_STRUCTURE_TYPE_IMAGE_MEMORY_BARRIER);
  barrier.srcQueueFamilyIndex = barrier.dstQueueFamilyIndex = VK_QUEUE_FAMILY_IGNORED;
  barrier.image = texture_;
  barrier.subresourceRange = whole_image();
  barrier.oldLayout = fresh_ ? VK_IMAGE_LAYOUT_UNDEFINED : VK_IMAGE_LAYOUT_SHADER_READ_ONLY_OPTIMAL;
  barrier.newLayout = VK_IMAGE_LAYOUT_TRANSFER_DST_OPTIMAL;
  barrier.dstAccessMask = VK_ACCESS_TRANSFER_WRITE_BIT;
  device_->calls.CmdPipelineBarrier(image.commands.buffer, VK_PIPELINE_STAGE_FRAGMENT_SHADER_BIT,
                                    VK_PIPELINE_STAGE_TRANSFER_BIT, 0, 0, nullptr, 0, nullptr, 1, &barrier);
  VkBufferImageCopy copy{};
  copy.imageSubresource = {VK_IMAGE_ASPECT_COLOR_BIT, 0, 0, 1};
  copy.imageExtent = {slot.width, slot.height, 1};
  device_->calls.CmdCopyBufferToImage(image.commands.buffer, image.staging.handle, texture_,
                                      VK_IMAGE_LAYOUT_TRANSFER_DST_OPTIMAL, 1, &copy);
  barrier.oldLayout = VK_IMAGE_LAYOUT_TRANSFER_DST_OPTIMAL;
  barrier.newLayout = VK_IMAGE_LAYOUT_SHADER_READ_ONLY_OPTIMAL;
  barrier.srcAccessMask = VK_ACCESS_TRANSFER_WRITE_BIT;
  barrier.dstAccessMask = VK_ACCESS_SHADER_READ_BIT;
  device_->calls.CmdPipelineBarrier(image.commands.buffer, VK_PIPELINE_STAGE_TRANSFER_BIT,
                                    VK_PIPELINE_STAGE_FRAGMENT_SHADER_BIT, 0, 0, nullptr, 0, nullptr, 1, &barrier);
  fresh_ = false;
}

void Overlay::record_draw(PerImage& image, const link::Slot& slot) {
  const Calls& vk = device_->calls;
  auto begin = made<VkRenderPassBeginInfo>(VK_STRUCTURE_TYPE_RENDER_PASS_BEGIN_INFO);
  begin.renderPass = pass_.pass();
  begin.framebuffer = image.framebuffer;
  begin.renderArea = {{0, 0}, extent_};
  vk.CmdBeginRenderPass(image.commands.buffer, &begin, VK_SUBPASS_CONTENTS_INLINE);
  vk.CmdBindPipeline(image.commands.buffer, VK_PIPELINE_BIND_POINT_GRAPHICS, pass_.pipeline());
  const VkViewport viewport{0, 0, static_cast<float>(extent_.width), static_cast<float>(extent_.height), 0, 1};
  const VkRect2D scissor{{0, 0}, extent_};
  vk.CmdSetViewport(image.commands.buffer, 0, 1, &viewport);
  vk.CmdSetScissor(image.commands.buffer, 0, 1, &scissor);
  vk.CmdBindDescriptorSets(image.commands.buffer, VK_PIPELINE_BIND_POINT_GRAPHICS, pass_.layout(), 0, 1, &set_, 0,
                           nullptr);
  const auto share = [](double pixels, std::uint32_t all) { return static_cast<float>(2 * pixels / all); };
  const BlendPass::Push push{{share(slot.x, extent_.width) - 1, share(slot.y, extent_.height) - 1,
                              share(slot.width, extent_.width), share(slot.height, extent_.height)},
                             {slot.x, slot.y},
                             is_srgb(format_) ? 1 : 0};
  vk.CmdPushConstants(image.commands.buffer, pass_.layout(), VK_SHADER_STAGE_VERTEX_BIT | VK_SHADER_STAGE_FRAGMENT_BIT,
                      0, sizeof push, &push);
  vk.CmdDraw(image.commands.buffer, 4, 1, 0, 0);
  vk.CmdEndRenderPass(image.commands.buffer);
}

VkSemaphore Overlay::draw(VkQueue queue, std::uint32_t family, std::uint32_t index, const link::ProbeEnd& end,
                          const link::Shown& shown, VkCommandBuffer before, std::uint32_t wait_count,
                          const VkSemaphore* waits) {
  if (failed_) return VK_NULL_HANDLE;
  if (!prepared_) failed_ = !prepare(family);
  if (failed_ || family != family_ || index >= images_.size()) return VK_NULL_HANDLE;
  PerImage& image = images_[index];
  image.commands.wait(*device_);
  if (shown.slot.width != width_ || shown.slot.height != height_) failed_ = !make_texture(shown.slot);
  const VkDeviceSize bytes = VkDeviceSize{shown.slot.width} * shown.slot.height * 4;
  const bool uploads = uploaded_ != shown.id;
  if (!failed_ && uploads && image.staging.size < bytes) {
    constexpr VkMemoryPropertyFlags kMapped =
        VK_MEMORY_PROPERTY_HOST_VISIBLE_BIT | VK_MEMORY_PROPERTY_HOST_COHERENT_BIT;
    image.staging.destroy(*device_);
    failed_ = !image.staging.make(*device_, bytes, VK_BUFFER_USAGE_TRANSFER_SRC_BIT, kMapped);
  }
  if (failed_) return VK_NULL_HANDLE;
  if (uploads) {
    ::memcpy(image.staging.mapped, shown.pixels, bytes);
    uploaded_ = end.still_whole(shown.id) ? shown.id : 0;
  }
  image.commands.begin(*device_);
  if (uploads) record_upload(image, shown.slot);
  record_draw(image, shown.slot);
  constexpr VkPipelineStageFlags kWrites =
      VK_PIPELINE_STAGE_COLOR_ATTACHMENT_OUTPUT_BIT | VK_PIPELINE_STAGE_TRANSFER_BIT;
  failed_ = !image.commands.submit(*device_, queue, before, kWrites, wait_count, waits);
  return failed_ ? VK_NULL_HANDLE : image.commands.done;
}

void Overlay::destroy() {
  const Calls& vk = device_->calls;
  const VkDevice device = device_->handle;
  for (PerImage& image : images_) {
    image.commands.destroy(*device_);
    image.staging.destroy(*device_);
    vk.DestroyFramebuffer(device, image.framebuffer, nullptr);
    vk.DestroyImageView(device, image.view, nullptr);
  }
  images_.clear();
  if (!prepared_) return;
  free_texture();
  vk.DestroyCommandPool(device, pool_, nullptr);
  vk.DestroyDescriptorPool(device, sets_, nullptr);
  vk.DestroySampler(device, sampler_, nullptr);
  pass_.destroy(*device_);
}

}  // namespace idlemeter::probe
