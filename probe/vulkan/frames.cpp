// Frames: stamped when they are presented, with the GPU's clock around their work and the overlay on their images.
#include <algorithm>
#include <optional>
#include <utility>

#include "idlemeter/base/time.hpp"
#include "vulkan/compute_overlay.hpp"
#include "vulkan/graphics_overlay.hpp"
#include "vulkan/layer.hpp"

namespace idlemeter::probe {
namespace {

/// A submission of one command buffer. The reference has to outlive what is returned.
VkSubmitInfo alone(const VkCommandBuffer& commands) {
  auto info = made<VkSubmitInfo>(VK_STRUCTURE_TYPE_SUBMIT_INFO);
  info.commandBufferCount = 1;
  info.pCommandBuffers = &commands;
  return info;
}

struct Begun {
  const Device* device;
  VkCommandBuffer first;  ///< goes before the game's commands; VK_NULL_HANDLE: nothing
};

/// Begins a frame with the first commands after a present, as long as there is a meter that wants to know.
Begun begin_frame(VkQueue handle, bool has_commands) {
  const std::lock_guard<std::mutex> lock(layer().mutex);
  const Device* device = layer().devices.at(key_of(handle)).get();
  const auto queue = layer().queues.find(handle);
  const bool begins = has_commands && queue != layer().queues.end() && layer().end.linked();
  return {device, begins ? queue->second.clock.begin(handle) : VK_NULL_HANDLE};
}

/// In one call if that is possible.
template <typename Submit, typename Info>
VkResult submit_behind(Submit submit, VkQueue handle, const Info& first, std::uint32_t count, const Info* submits,
                       VkFence fence) {
  constexpr std::uint32_t kMost = 32;
  if (count > kMost) {
    submit(handle, 1, &first, VK_NULL_HANDLE);
    return submit(handle, count, submits, fence);
  }
  Info all[kMost + 1];
  all[0] = first;
  std::copy_n(submits, count, all + 1);
  return submit(handle, count + 1, all, fence);
}

template <auto Member>
VkResult submit2(VkQueue handle, std::uint32_t count, const VkSubmitInfo2* submits, VkFence fence) {
  const Begun begun = begin_frame(handle, count > 0);
  const auto submit = begun.device->calls.*Member;
  if (begun.first == VK_NULL_HANDLE) return submit(handle, count, submits, fence);
  auto commands = made<VkCommandBufferSubmitInfo>(VK_STRUCTURE_TYPE_COMMAND_BUFFER_SUBMIT_INFO);
  commands.commandBuffer = begun.first;
  auto first = made<VkSubmitInfo2>(VK_STRUCTURE_TYPE_SUBMIT_INFO_2);
  first.commandBufferInfoCount = 1;
  first.pCommandBufferInfos = &commands;
  return submit_behind(submit, handle, first, count, submits, fence);
}

void stamp(const Target& target, const link::GpuTimes& times, Nanoseconds on_screen) {
  link::FrameEntry frame;
  frame.present = monotonic_now();
  const auto bits = reinterpret_cast<std::uint64_t>(target.swapchain);
  frame.drawable = static_cast<std::uint32_t>(bits ^ bits >> 32);
  frame.width = target.extent.width;
  frame.height = target.extent.height;
  frame.gpu_work = times.work;
  frame.latency = times.latency;
  frame.on_screen = on_screen;
  const std::uint32_t version = target.device->properties.apiVersion;
  layer().end.add(
      frame, {link::Api::vulkan, VK_API_VERSION_MAJOR(version), VK_API_VERSION_MINOR(version), target.device->driver});
}

/// What a present waits for instead of the game's semaphores, if anything was drawn.
struct Drawn {
  static constexpr std::uint32_t kMost = 8;  // windows that are presented by one call and drawn on
  VkSemaphore semaphores[kMost];
  std::uint32_t count = 0;
};

/// The kind that the queue is capable of; nullptr if there is none.
std::unique_ptr<Overlay> overlay_for(const Swapchain& swapchain, const Queue& queue) {
  const VkQueueFlags does = queue.device->families[queue.family].queueFlags;
  if ((does & VK_QUEUE_GRAPHICS_BIT) != 0)
    return swapchain.drawable ? std::make_unique<GraphicsOverlay>(swapchain.target, queue.family) : nullptr;
  const bool blends = (does & VK_QUEUE_COMPUTE_BIT) != 0 && ComputeOverlay::knows(swapchain.target.format);
  return blends && swapchain.copyable ? std::make_unique<ComputeOverlay>(swapchain.target, queue.family) : nullptr;
}

/// Puts the overlay onto one of the images that are about to be presented; the first waits for the game.
VkSemaphore draw(VkQueue handle, const Queue& queue, Swapchain& swapchain, const VkPresentInfoKHR& info,
                 std::uint32_t index, VkCommandBuffer end, bool is_first) {
  const link::Shown shown = layer().end.picture();
  if (shown.pixels == nullptr) return VK_NULL_HANDLE;
  if (swapchain.overlay == nullptr) swapchain.overlay = overlay_for(swapchain, queue);
  if (swapchain.overlay == nullptr) return VK_NULL_HANDLE;
  return swapchain.overlay->draw(handle, queue.family, info.pImageIndices[index], layer().end, shown, end,
                                 is_first ? info.waitSemaphoreCount : 0, info.pWaitSemaphores);
}

/// The numbers that presents are waited for by: the game's, or the layer's own.
class Numbers {
 public:
  /// With the layer's mutex held.
  Numbers(const Device& device, const VkPresentInfoKHR& info) : info_(info) {
    using Waits = DeviceRequest::Waits;
    if (device.waits == Waits::no || !layer().end.linked() || info.swapchainCount > kMost) return;
    const auto* given = in_chain(info.pNext, VK_STRUCTURE_TYPE_PRESENT_ID_KHR);
    if (device.waits == Waits::by_games_numbers) {
      if (given != nullptr) numbers_ = reinterpret_cast<const VkPresentIdKHR*>(given)->pPresentIds;
      return;
    }
    for (std::uint32_t i = 0; i < info.swapchainCount; ++i) {
      const auto found = layer().swapchains.find(info.pSwapchains[i]);
      own_[i] = found == layer().swapchains.end() ? 0 : ++found->second.presents;  // 0: none
    }
    added_ = made<VkPresentIdKHR>(VK_STRUCTURE_TYPE_PRESENT_ID_KHR);
    added_.pNext = info.pNext;
    added_.swapchainCount = info.swapchainCount;
    added_.pPresentIds = numbers_ = own_;
  }
  Numbers(const Numbers&) = delete;
  Numbers& operator=(const Numbers&) = delete;

  /// The present's chain with the layer's own numbers, if it needs them.
  [[nodiscard]] const void* chain() const { return numbers_ == own_ ? &added_ : info_.pNext; }

  /// Once it is presented, with the layer's mutex held: from now on it is waited for.
  void wait(const Device& device, Moment begun) const {
    if (numbers_ == nullptr || begun == Moment{}) return;
    for (std::uint32_t i = 0; i < info_.swapchainCount; ++i) {
      const auto found = layer().swapchains.find(info_.pSwapchains[i]);
      if (found == layer().swapchains.end() || numbers_[i] == 0) continue;
      auto& clock = found->second.clock;
      if (clock == nullptr) clock = std::make_unique<ScreenClock>(device, found->first);
      clock->presented(numbers_[i], begun);
    }
  }

 private:
  static constexpr std::uint32_t kMost = 8;  // windows that are presented by one call

  const VkPresentInfoKHR& info_;
  const std::uint64_t* numbers_ = nullptr;
  std::uint64_t own_[kMost] = {};
  VkPresentIdKHR added_{};
};

/// Stamps the frames, and draws on their images. The frame's last timestamp goes before what is drawn.
Drawn present_frames(VkQueue handle, Queue& queue, const VkPresentInfoKHR& info) {
  Drawn drawn;
  VkCommandBuffer end = queue.clock.end();
  link::GpuTimes times = queue.clock.take();
  for (std::uint32_t i = 0; i < info.swapchainCount; ++i) {
    const auto found = layer().swapchains.find(info.pSwapchains[i]);
    if (found == layer().swapchains.end()) continue;
    ScreenClock* const clock = found->second.clock.get();
    stamp(found->second.target, std::exchange(times, {}), clock == nullptr ? kUnknownTime : clock->take());
    if (drawn.count == Drawn::kMost) continue;
    const VkSemaphore done = draw(handle, queue, found->second, info, i, end, drawn.count == 0);
    if (done == VK_NULL_HANDLE) continue;
    drawn.semaphores[drawn.count++] = done;
    end = VK_NULL_HANDLE;
  }
  if (end == VK_NULL_HANDLE) return drawn;
  const VkSubmitInfo submit = alone(end);
  queue.device->calls.QueueSubmit(handle, 1, &submit, VK_NULL_HANDLE);
  return drawn;
}

}  // namespace

VKAPI_ATTR VkResult VKAPI_CALL queue_submit(VkQueue handle, std::uint32_t count, const VkSubmitInfo* submits,
                                            VkFence fence) {
  const Begun begun = begin_frame(handle, count > 0);
  const auto submit = begun.device->calls.QueueSubmit;
  if (begun.first == VK_NULL_HANDLE) return submit(handle, count, submits, fence);
  return submit_behind(submit, handle, alone(begun.first), count, submits, fence);
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
  std::optional<Numbers> numbers;
  const Device* device = nullptr;
  {
    const std::lock_guard<std::mutex> lock(layer().mutex);
    device = layer().devices.at(key_of(handle)).get();
    const auto queue = layer().queues.find(handle);
    if (queue != layer().queues.end()) drawn = present_frames(handle, queue->second, *info);
    numbers.emplace(*device, *info);
  }
  if (drawn.count > 0) {  // the first of ours has waited for all of the game's
    changed.waitSemaphoreCount = drawn.count;
    changed.pWaitSemaphores = drawn.semaphores;
  }
  changed.pNext = numbers->chain();
  const VkResult result = device->calls.QueuePresentKHR(handle, &changed);
  const std::lock_guard<std::mutex> lock(layer().mutex);
  const auto queue = layer().queues.find(handle);
  if (queue == layer().queues.end() || !layer().end.linked()) return result;
  if (result >= 0) numbers->wait(*device, queue->second.clock.begun_on_processor());
  queue->second.clock.begin_on_processor(monotonic_now());
  return result;
}

}  // namespace idlemeter::probe
