// Frames: stamped when they are presented, with the GPU's clock around their work and the overlay on their images.
#include <algorithm>
#include <utility>

#include "vulkan/layer.hpp"

namespace idlemeter::probe {
namespace {

/// What goes before the game's commands on a queue; VK_NULL_HANDLE: nothing, as long as no meter wants to know.
VkCommandBuffer begin_frame(VkQueue handle, const Device*& device) {
  const std::lock_guard<std::mutex> lock(layer().mutex);
  const auto queue = layer().queues.find(handle);
  if (queue == layer().queues.end()) {
    device = layer().devices.at(key_of(handle)).get();
    return VK_NULL_HANDLE;
  }
  device = queue->second.device;
  return layer().end.linked() ? queue->second.clock.begin(handle) : VK_NULL_HANDLE;
}

constexpr std::uint32_t kMostSubmits = 32;  // in one call, to have one more put before them

template <auto Member>
VkResult submit2(VkQueue handle, std::uint32_t count, const VkSubmitInfo2* submits, VkFence fence) {
  const Device* device = nullptr;
  const VkCommandBuffer first = count == 0 ? VK_NULL_HANDLE : begin_frame(handle, device);
  if (device == nullptr) device = device_of(handle);
  const auto submit = device->calls.*Member;
  if (first == VK_NULL_HANDLE) return submit(handle, count, submits, fence);
  auto commands = made<VkCommandBufferSubmitInfo>(VK_STRUCTURE_TYPE_COMMAND_BUFFER_SUBMIT_INFO);
  commands.commandBuffer = first;
  VkSubmitInfo2 all[kMostSubmits + 1];
  all[0] = made<VkSubmitInfo2>(VK_STRUCTURE_TYPE_SUBMIT_INFO_2);
  all[0].commandBufferInfoCount = 1;
  all[0].pCommandBufferInfos = &commands;
  if (count > kMostSubmits) {
    submit(handle, 1, all, VK_NULL_HANDLE);
    return submit(handle, count, submits, fence);
  }
  std::copy_n(submits, count, all + 1);
  return submit(handle, count + 1, all, fence);
}

void stamp(const Device& device, VkSwapchainKHR swapchain, VkExtent2D extent, std::int64_t gpu_work) {
  link::FrameEntry frame;
  frame.present = link::now();
  const auto bits = reinterpret_cast<std::uint64_t>(swapchain);
  frame.drawable = static_cast<std::uint32_t>(bits ^ bits >> 32);
  frame.width = extent.width;
  frame.height = extent.height;
  frame.gpu_work = gpu_work;
  layer().end.add(frame, link::Api::vulkan, VK_API_VERSION_MAJOR(device.properties.apiVersion),
                  VK_API_VERSION_MINOR(device.properties.apiVersion));
}

/// What a present waits for in place of the game's semaphores, if it is any.
struct Drawn {
  static constexpr std::uint32_t kMost = 8;  // windows that are presented by one call and drawn on
  VkSemaphore semaphores[kMost];
  std::uint32_t count = 0;
};

/// Puts the overlay onto one of the images that are about to be presented; the first waits for the game.
VkSemaphore draw(VkQueue handle, const Queue& queue, Swapchain& swapchain, const VkPresentInfoKHR& info,
                 std::uint32_t index, VkCommandBuffer end, bool is_first) {
  const link::Shown shown = layer().end.picture();
  if (shown.pixels == nullptr) return VK_NULL_HANDLE;
  const auto draw_by = [&](auto& overlay) {
    return overlay.draw(handle, queue.family, info.pImageIndices[index], layer().end, shown, end,
                        is_first ? info.waitSemaphoreCount : 0, info.pWaitSemaphores);
  };
  const bool graphics = (queue.device->families[queue.family].queueFlags & VK_QUEUE_GRAPHICS_BIT) != 0;
  return graphics ? draw_by(swapchain.overlay) : draw_by(swapchain.compute);
}

/// Stamps the frames, and draws on their images. The frame's last timestamp goes before what is drawn.
Drawn present_frames(VkQueue handle, Queue& queue, const VkPresentInfoKHR& info) {
  Drawn drawn;
  VkCommandBuffer end = queue.clock.end();
  std::int64_t gpu_work = queue.clock.take();
  for (std::uint32_t i = 0; i < info.swapchainCount; ++i) {
    const auto found = layer().swapchains.find(info.pSwapchains[i]);
    if (found == layer().swapchains.end()) continue;
    stamp(*queue.device, info.pSwapchains[i], found->second.extent, std::exchange(gpu_work, -1));
    if (drawn.count == Drawn::kMost) continue;
    const VkSemaphore done = draw(handle, queue, found->second, info, i, end, drawn.count == 0);
    if (done == VK_NULL_HANDLE) continue;
    drawn.semaphores[drawn.count++] = done;
    end = VK_NULL_HANDLE;
  }
  if (end == VK_NULL_HANDLE) return drawn;
  auto submit = made<VkSubmitInfo>(VK_STRUCTURE_TYPE_SUBMIT_INFO);
  submit.commandBufferCount = 1;
  submit.pCommandBuffers = &end;
  queue.device->calls.QueueSubmit(handle, 1, &submit, VK_NULL_HANDLE);
  return drawn;
}

}  // namespace

VKAPI_ATTR VkResult VKAPI_CALL queue_submit(VkQueue handle, std::uint32_t count, const VkSubmitInfo* submits,
                                            VkFence fence) {
  const Device* device = nullptr;
  const VkCommandBuffer first = count == 0 ? VK_NULL_HANDLE : begin_frame(handle, device);
  if (device == nullptr) device = device_of(handle);
  const PFN_vkQueueSubmit submit = device->calls.QueueSubmit;
  if (first == VK_NULL_HANDLE) return submit(handle, count, submits, fence);
  VkSubmitInfo all[kMostSubmits + 1];
  all[0] = made<VkSubmitInfo>(VK_STRUCTURE_TYPE_SUBMIT_INFO);
  all[0].commandBufferCount = 1;
  all[0].pCommandBuffers = &first;
  if (count > kMostSubmits) {
    submit(handle, 1, all, VK_NULL_HANDLE);
    return submit(handle, count, submits, fence);
  }
  std::copy_n(submits, count, all + 1);
  return submit(handle, count + 1, all, fence);
}

VKAPI_ATTR VkResult VKAPI_CALL queue_submit2(VkQueue handle, std::uint32_t count, const VkSubmitInfo2* submits,
                                             VkFence fence) {
  return submit2<&Calls::QueueSubmit2>(handle, count, submits, fence);
}

VKAPI_ATTR VkResult VKAPI_CALL queue_submit2_khr(VkQueue handle, std::uint32_t count, const VkSubmitInfo2* submits,
                                                 VkFence fence) {
  return submit2<&Calls::QueueSubmit2KHR>(handle, count, submits, fence);
}

VKAPI_ATTR VkResult VKAPI_CALL queue_present(VkQueue handle, const VkPresentInfoKHR* info) {
  VkPresentInfoKHR changed = *info;
  Drawn drawn;
  PFN_vkQueuePresentKHR present = nullptr;
  {
    const std::lock_guard<std::mutex> lock(layer().mutex);
    const auto queue = layer().queues.find(handle);
    if (queue != layer().queues.end()) drawn = present_frames(handle, queue->second, *info);
    present = layer().devices.at(key_of(handle))->calls.QueuePresentKHR;
  }
  if (drawn.count > 0) {  // the first of ours has waited for all of the game's
    changed.waitSemaphoreCount = drawn.count;
    changed.pWaitSemaphores = drawn.semaphores;
  }
  return present(handle, &changed);
}

}  // namespace idlemeter::probe
