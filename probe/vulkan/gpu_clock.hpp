// How long the GPU works on frames, and when it is done with them.
#pragma once

#include "idlemeter/base/time.hpp"
#include "link/gpu_time.hpp"
#include "vulkan/device.hpp"

namespace idlemeter::probe {

/// Pairs of timestamps on one queue: before a frame's first commands and after its last. They are read frames later,
/// and nothing ever waits for them. One thread at a time. destroy() releases everything.
///
/// On a software rasteriser, which has to stop for each timestamp, only if that is asked for (link::times_gpu), and
/// then ten times a second.
class VulkanGpuClock {
 public:
  /// Makes nothing yet, and never does for a family without timestamps.
  VulkanGpuClock(const Device& device, std::uint32_t family);

  /// What to submit before these commands of the game, if they are a frame's first; otherwise VK_NULL_HANDLE.
  VkCommandBuffer begin(VkQueue queue);

  /// What to submit after the frame's last commands; VK_NULL_HANDLE if it wasn't begun.
  VkCommandBuffer end();

  /// The game begins with the next frame.
  void begin_on_processor(Moment now) { begins_ = now; }
  [[nodiscard]] Moment begun_on_processor() const { return begins_; }

  /// The times of the next of the earlier frames, in their order; unknown until they are there.
  link::GpuTimes take();

  void destroy();

 private:
  static constexpr std::uint32_t kPairs = 32;

  struct Pair {
    VkCommandBuffer begin = VK_NULL_HANDLE, end = VK_NULL_HANDLE;
    Moment begun{};              // by the game, on the processor
    std::uint64_t ended_at = 0;  // the timestamp read last, to tell an old one from a new one
  };

  bool prepare(VkQueue queue);
  bool record(std::uint32_t pair);
  bool reset(VkQueue queue);
  [[nodiscard]] Nanoseconds in_nanoseconds(std::int64_t ticks) const;
  /// Asks the clocks of the GPU and of the machine for the same moment.
  bool calibrate();
  Nanoseconds latency(std::uint64_t ended, Moment begun);

  const Device* device_;
  std::uint32_t family_;
  std::uint64_t mask_ = 0;  // of the bits that count
  bool prepared_ = false, failed_ = false, begun_ = false, skips_ = false;
  Moment slow_due_{}, begins_{};
  Moment calibrated_{};                 // when both clocks were read; never, if they can't be
  std::uint64_t calibration_ = 0;       // what the GPU's said then
  std::uint32_t ended_ = 0, read_ = 0;  // pairs, ever
  VkCommandPool pool_ = VK_NULL_HANDLE;
  VkQueryPool queries_ = VK_NULL_HANDLE;
  Pair pairs_[kPairs];
};

}  // namespace idlemeter::probe
