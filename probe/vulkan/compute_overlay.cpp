#include "vulkan/compute_overlay.hpp"

#include <string.h>

#include <algorithm>

#include "overlay_comp.hpp"

namespace idlemeter::probe {
namespace {

constexpr std::uint32_t kMostImages = 16, kGroup = 64;  // the shader's local size
constexpr std::uint32_t kRegionBytes = 28;              // the shader's constants

}  // namespace

bool ComputeOverlay::knows(VkFormat format) {
  return format == VK_FORMAT_B8G8R8A8_UNORM || format == VK_FORMAT_B8G8R8A8_SRGB ||
         format == VK_FORMAT_R8G8B8A8_UNORM || format == VK_FORMAT_R8G8B8A8_SRGB;
}

bool ComputeOverlay::make_layout() {
  const VkDescriptorSetLayoutBinding bindings[] = {
      {0, VK_DESCRIPTOR_TYPE_STORAGE_BUFFER, 1, VK_SHADER_STAGE_COMPUTE_BIT, nullptr},
      {1, VK_DESCRIPTOR_TYPE_STORAGE_BUFFER, 1, VK_SHADER_STAGE_COMPUTE_BIT, nullptr}};
  auto set_info = made<VkDescriptorSetLayoutCreateInfo>(VK_STRUCTURE_TYPE_DESCRIPTOR_SET_LAYOUT_CREATE_INFO);
  set_info.bindingCount = 2;
  set_info.pBindings = bindings;
  if (vk().CreateDescriptorSetLayout(device().handle, &set_info, nullptr, &set_layout_) != VK_SUCCESS) return false;
  const VkPushConstantRange push{VK_SHADER_STAGE_COMPUTE_BIT, 0, kRegionBytes};
  auto layout_info = made<VkPipelineLayoutCreateInfo>(VK_STRUCTURE_TYPE_PIPELINE_LAYOUT_CREATE_INFO);
  layout_info.setLayoutCount = 1;
  layout_info.pSetLayouts = &set_layout_;
  layout_info.pushConstantRangeCount = 1;
  layout_info.pPushConstantRanges = &push;
  return vk().CreatePipelineLayout(device().handle, &layout_info, nullptr, &layout_) == VK_SUCCESS;
}

bool ComputeOverlay::make_pipeline() {
  if (!make_layout()) return false;
  auto module = made<VkShaderModuleCreateInfo>(VK_STRUCTURE_TYPE_SHADER_MODULE_CREATE_INFO);
  module.codeSize = sizeof overlay_comp;
  module.pCode = overlay_comp;
  auto info = made<VkComputePipelineCreateInfo>(VK_STRUCTURE_TYPE_COMPUTE_PIPELINE_CREATE_INFO);
  info.stage = made<VkPipelineShaderStageCreateInfo>(VK_STRUCTURE_TYPE_PIPELINE_SHADER_STAGE_CREATE_INFO);
  info.stage.stage = VK_SHADER_STAGE_COMPUTE_BIT;
  info.stage.pName = "main";
  info.layout = layout_;
  if (vk().CreateShaderModule(device().handle, &module, nullptr, &info.stage.module) != VK_SUCCESS) return false;
  const VkResult result = vk().CreateComputePipelines(device().handle, VK_NULL_HANDLE, 1, &info, nullptr, &pipeline_);
  vk().DestroyShaderModule(device().handle, info.stage.module, nullptr);
  return result == VK_SUCCESS;
}

bool ComputeOverlay::prepare(const std::vector<VkImage>& images) {
  const VkDescriptorPoolSize size{VK_DESCRIPTOR_TYPE_STORAGE_BUFFER, 2 * kMostImages};
  auto sets = made<VkDescriptorPoolCreateInfo>(VK_STRUCTURE_TYPE_DESCRIPTOR_POOL_CREATE_INFO);
  sets.maxSets = kMostImages;
  sets.poolSizeCount = 1;
  sets.pPoolSizes = &size;
  if (images.size() > kMostImages) return false;
  if (vk().CreateDescriptorPool(device().handle, &sets, nullptr, &sets_) != VK_SUCCESS || !make_pipeline())
    return false;
  auto set = made<VkDescriptorSetAllocateInfo>(VK_STRUCTURE_TYPE_DESCRIPTOR_SET_ALLOCATE_INFO);
  set.descriptorPool = sets_;
  set.descriptorSetCount = 1;
  set.pSetLayouts = &set_layout_;
  images_.resize(images.size());
  for (std::size_t i = 0; i < images.size(); ++i) {
    images_[i].handle = images[i];
    if (vk().AllocateDescriptorSets(device().handle, &set, &images_[i].set) != VK_SUCCESS) return false;
  }
  return true;
}

/// Both as large as the picture: the part of it within the image is no larger.
bool ComputeOverlay::make_buffers(PerImage& image, VkDeviceSize bytes) {
  if (image.picture.size >= bytes) return true;
  image.uploaded = 0;
  constexpr VkBufferUsageFlags kCopied = VK_BUFFER_USAGE_TRANSFER_SRC_BIT | VK_BUFFER_USAGE_TRANSFER_DST_BIT;
  constexpr VkBufferUsageFlags kStored = VK_BUFFER_USAGE_STORAGE_BUFFER_BIT;
  if (!image.picture.make_larger(device(), bytes, kStored, kMapped) ||
      !image.pixels.make_larger(device(), bytes, kStored | kCopied, VK_MEMORY_PROPERTY_DEVICE_LOCAL_BIT))
    return false;
  describe(image);
  return true;
}

void ComputeOverlay::describe(const PerImage& image) {
  const VkDescriptorBufferInfo buffers[] = {{image.picture.handle, 0, VK_WHOLE_SIZE},
                                            {image.pixels.handle, 0, VK_WHOLE_SIZE}};
  auto write = made<VkWriteDescriptorSet>(VK_STRUCTURE_TYPE_WRITE_DESCRIPTOR_SET);
  write.dstSet = image.set;
  write.descriptorCount = 2;
  write.descriptorType = VK_DESCRIPTOR_TYPE_STORAGE_BUFFER;
  write.pBufferInfo = buffers;
  vk().UpdateDescriptorSets(device().handle, 1, &write, 0, nullptr);
}

bool ComputeOverlay::take(std::size_t index, const link::ProbeEnd& end, const link::Shown& shown) {
  PerImage& image = images_[index];
  const VkDeviceSize bytes = VkDeviceSize{shown.slot.width} * shown.slot.height * 4;
  if (!make_buffers(image, bytes)) return false;
  if (image.uploaded == shown.id) return true;
  ::memcpy(image.picture.mapped, shown.pixels, bytes);
  image.uploaded = end.still_whole(shown.id) ? shown.id : 0;
  return true;
}

/// The part of the picture that lies within the image.
ComputeOverlay::Region ComputeOverlay::region_of(const link::Slot& slot) const {
  const auto within = [](std::int64_t place, std::uint32_t most) {
    return std::clamp<std::int64_t>(place, 0, static_cast<std::int64_t>(most));
  };
  const std::int64_t left = within(slot.x, target().extent.width), top = within(slot.y, target().extent.height);
  const std::int64_t right = within(std::int64_t{slot.x} + slot.width, target().extent.width);
  const std::int64_t bottom = within(std::int64_t{slot.y} + slot.height, target().extent.height);
  const bool swapped = target().format == VK_FORMAT_B8G8R8A8_UNORM || target().format == VK_FORMAT_B8G8R8A8_SRGB;
  return {{static_cast<std::uint32_t>(right - left), static_cast<std::uint32_t>(bottom - top)},
          {static_cast<std::uint32_t>(left - slot.x), static_cast<std::uint32_t>(top - slot.y)},
          slot.width,
          swapped ? 1 : 0,
          encoding_of(target().format, target().space) == Encoding::linear ? 1 : 0,
          {static_cast<std::int32_t>(left), static_cast<std::int32_t>(top), 0}};
}

/// After the image's last use, and before its next.
void ComputeOverlay::move(VkCommandBuffer commands, const PerImage& image, VkImageLayout from, VkImageLayout to) const {
  auto barrier = made<VkImageMemoryBarrier>(VK_STRUCTURE_TYPE_IMAGE_MEMORY_BARRIER);
  barrier.srcQueueFamilyIndex = barrier.dstQueueFamilyIndex = VK_QUEUE_FAMILY_IGNORED;
  barrier.image = image.handle;
  barrier.subresourceRange = whole_image();
  barrier.oldLayout = from;
  barrier.newLayout = to;
  barrier.srcAccessMask = VK_ACCESS_MEMORY_WRITE_BIT;
  barrier.dstAccessMask = VK_ACCESS_TRANSFER_READ_BIT | VK_ACCESS_TRANSFER_WRITE_BIT;
  vk().CmdPipelineBarrier(commands, VK_PIPELINE_STAGE_TRANSFER_BIT, VK_PIPELINE_STAGE_TRANSFER_BIT, 0, 0, nullptr, 0,
                          nullptr, 1, &barrier);
}

/// Makes what one stage has written into the pixels visible to the other.
void ComputeOverlay::flush(VkCommandBuffer commands, const PerImage& image, VkPipelineStageFlags from,
                           VkPipelineStageFlags to) const {
  auto barrier = made<VkBufferMemoryBarrier>(VK_STRUCTURE_TYPE_BUFFER_MEMORY_BARRIER);
  barrier.srcQueueFamilyIndex = barrier.dstQueueFamilyIndex = VK_QUEUE_FAMILY_IGNORED;
  barrier.buffer = image.pixels.handle;
  barrier.size = VK_WHOLE_SIZE;
  barrier.srcAccessMask = VK_ACCESS_MEMORY_WRITE_BIT;
  barrier.dstAccessMask = VK_ACCESS_MEMORY_READ_BIT | VK_ACCESS_MEMORY_WRITE_BIT;
  vk().CmdPipelineBarrier(commands, from, to, 0, 0, nullptr, 1, &barrier, 0, nullptr);
}

void ComputeOverlay::record(VkCommandBuffer commands, std::size_t index, const link::Slot& slot) {
  const PerImage& image = images_[index];
  const Region region = region_of(slot);
  constexpr VkImageLayout kSource = VK_IMAGE_LAYOUT_TRANSFER_SRC_OPTIMAL,
                          kTarget = VK_IMAGE_LAYOUT_TRANSFER_DST_OPTIMAL;
  VkBufferImageCopy copy{};
  copy.imageSubresource = {VK_IMAGE_ASPECT_COLOR_BIT, 0, 0, 1};
  copy.imageOffset = region.place;
  copy.imageExtent = {region.size[0], region.size[1], 1};
  move(commands, image, VK_IMAGE_LAYOUT_PRESENT_SRC_KHR, kSource);
  vk().CmdCopyImageToBuffer(commands, image.handle, kSource, image.pixels.handle, 1, &copy);
  flush(commands, image, VK_PIPELINE_STAGE_TRANSFER_BIT, VK_PIPELINE_STAGE_COMPUTE_SHADER_BIT);
  vk().CmdBindPipeline(commands, VK_PIPELINE_BIND_POINT_COMPUTE, pipeline_);
  vk().CmdBindDescriptorSets(commands, VK_PIPELINE_BIND_POINT_COMPUTE, layout_, 0, 1, &image.set, 0, nullptr);
  vk().CmdPushConstants(commands, layout_, VK_SHADER_STAGE_COMPUTE_BIT, 0, kRegionBytes, &region);
  vk().CmdDispatch(commands, (region.size[0] * region.size[1] + kGroup - 1) / kGroup, 1, 1);
  flush(commands, image, VK_PIPELINE_STAGE_COMPUTE_SHADER_BIT, VK_PIPELINE_STAGE_TRANSFER_BIT);
  move(commands, image, kSource, kTarget);
  vk().CmdCopyBufferToImage(commands, image.pixels.handle, image.handle, kTarget, 1, &copy);
  move(commands, image, kTarget, VK_IMAGE_LAYOUT_PRESENT_SRC_KHR);
}

void ComputeOverlay::free() {
  for (PerImage& image : images_) {
    image.picture.destroy(device());
    image.pixels.destroy(device());
  }
  vk().DestroyDescriptorPool(device().handle, sets_, nullptr);
  vk().DestroyPipeline(device().handle, pipeline_, nullptr);
  vk().DestroyPipelineLayout(device().handle, layout_, nullptr);
  vk().DestroyDescriptorSetLayout(device().handle, set_layout_, nullptr);
}

}  // namespace idlemeter::probe
