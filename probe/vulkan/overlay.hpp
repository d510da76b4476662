// The overlay on the images of one swapchain.
#pragma once

#include <vector>

#include "link/probe_end.hpp"
#include "vulkan/device.hpp"

namespace idlemeter::probe {

/// What the overlay goes onto.
struct Target {
  const Device* device = nullptr;
  VkSwapchainKHR swapchain = VK_NULL_HANDLE;
  VkFormat format = VK_FORMAT_UNDEFINED;
  VkColorSpaceKHR space = VK_COLOR_SPACE_SRGB_NONLINEAR_KHR;
  VkExtent2D extent{};
};

/// For presents from queues of one family. One thread at a time, as for the swapchain itself. destroy() releases
/// everything.
class Overlay {
 public:
  Overlay(const Target& target, std::uint32_t family) : target_(target), family_(family) {}
  virtual ~Overlay() = default;

  /// Submits the picture for an image that is about to be presented on a queue of that family: it waits for the
  /// semaphores and signals the one that is returned. `before` goes first, if there is one. VK_NULL_HANDLE if nothing
  /// was submitted.
  VkSemaphore draw(VkQueue queue, std::uint32_t family, std::uint32_t index, const link::ProbeEnd& end,
                   const link::Shown& shown, VkCommandBuffer before, std::uint32_t wait_count,
                   const VkSemaphore* waits);

  void destroy();

 protected:
  [[nodiscard]] const Target& target() const { return target_; }
  [[nodiscard]] const Device& device() const { return *target_.device; }
  [[nodiscard]] const Calls& vk() const { return target_.device->calls; }

  /// Waits until nothing submitted for any image is in progress. False if that takes too long.
  [[nodiscard]] bool wait_for_all();

  /// Makes what is needed once for these images. False if it can't.
  virtual bool prepare(const std::vector<VkImage>& images) = 0;

  /// Copies a picture for an image, none of whose commands is in progress. False if it can't.
  virtual bool take(std::size_t index, const link::ProbeEnd& end, const link::Shown& shown) = 0;

  /// Records the commands that put the picture onto the image. They overlap.
  virtual void record(VkCommandBuffer commands, std::size_t index, const link::Slot& slot) = 0;

  /// The stages in which record() touches the image.
  [[nodiscard]] virtual VkPipelineStageFlags stages() const = 0;

  /// Releases what prepare() and take() have made, even if they failed.
  virtual void free() = 0;

 private:
  bool start();

  Target target_;
  std::uint32_t family_;
  bool failed_ = false, started_ = false;
  VkCommandPool pool_ = VK_NULL_HANDLE;
  std::vector<OwnCommands> commands_;  // for each image
};

}  // namespace idlemeter::probe
