#include "vulkan/overlay.hpp"

namespace idlemeter::probe {
namespace {

bool touches(const link::Slot& slot, VkExtent2D extent) {
  return slot.x < static_cast<std::int64_t>(extent.width) && slot.y < static_cast<std::int64_t>(extent.height) &&
         std::int64_t{slot.x} + slot.width > 0 && std::int64_t{slot.y} + slot.height > 0;
}

}  // namespace

bool Overlay::start() {
  started_ = true;
  auto pool = made<VkCommandPoolCreateInfo>(VK_STRUCTURE_TYPE_COMMAND_POOL_CREATE_INFO);
  pool.flags = VK_COMMAND_POOL_CREATE_RESET_COMMAND_BUFFER_BIT;
  pool.queueFamilyIndex = family_;
  if (vk().CreateCommandPool(device().handle, &pool, nullptr, &pool_) != VK_SUCCESS) return false;
  const std::vector<VkImage> images = images_of(device(), target_.swapchain);
  commands_.resize(images.size());
  for (OwnCommands& commands : commands_) {
    if (!commands.make(device(), pool_)) return false;
  }
  return prepare(images);
}

VkSemaphore Overlay::draw(VkQueue queue, std::uint32_t family, std::uint32_t index, const link::ProbeEnd& end,
                          const link::Shown& shown, VkCommandBuffer before, std::uint32_t wait_count,
                          const VkSemaphore* waits) {
  if (failed_ || family != family_ || !touches(shown.slot, target_.extent)) return VK_NULL_HANDLE;
  if (!started_) failed_ = !start();
  if (failed_ || index >= commands_.size()) return VK_NULL_HANDLE;
  OwnCommands& commands = commands_[index];
  if (!commands.wait(device())) return VK_NULL_HANDLE;  // the GPU still reads what would be written
  failed_ = !take(index, end, shown);
  if (failed_) return VK_NULL_HANDLE;
  commands.begin(device());
  record(commands.buffer, index, shown.slot);
  failed_ = !commands.submit(device(), queue, before, stages(), wait_count, waits);
  return failed_ ? VK_NULL_HANDLE : commands.done;
}

bool Overlay::wait_for_all() {
  for (OwnCommands& commands : commands_) {
    if (!commands.wait(device())) return false;
  }
  return true;
}

void Overlay::destroy() {
  if (!started_ || !wait_for_all()) return;  // what the GPU may still use is left to it
  for (OwnCommands& commands : commands_) commands.destroy(device());
  free();
  vk().DestroyCommandPool(device().handle, pool_, nullptr);
}

}  // namespace idlemeter::probe
