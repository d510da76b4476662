// When frames reach the screen.
#pragma once

#include <pthread.h>

#include <atomic>
#include <cstdint>

#include "idlemeter/base/time.hpp"
#include "vulkan/device.hpp"

namespace idlemeter::probe {

/// Waits for a swapchain's presents (VK_KHR_present_wait) in a thread of its own, so that no frame does. Of a game that
/// presents faster than the screen shows, some frames are left out. Destroy it before the swapchain.
class ScreenClock {
 public:
  ScreenClock(const Device& device, VkSwapchainKHR swapchain);
  ScreenClock(const ScreenClock&) = delete;
  ScreenClock& operator=(const ScreenClock&) = delete;
  /// Waits for the driver for up to a twentieth of a second.
  ~ScreenClock();

  /// Notes a present by its number, which rises, and when the game began the frame.
  void presented(std::uint64_t number, Moment begun);

  /// From the start of a frame to its picture on the screen, of the newest frame since the last call that is there.
  Nanoseconds take() { return Nanoseconds(latest_.exchange(kUnknownTime.count(), std::memory_order_relaxed)); }

 private:
  static constexpr std::uint32_t kMost = 8;

  struct Present {
    std::uint64_t number = 0;
    Moment begun{};
  };

  static void* run(void* self);
  bool next(Present& present);

  const Device& device_;
  VkSwapchainKHR swapchain_;
  pthread_mutex_t mutex_ = PTHREAD_MUTEX_INITIALIZER;
  pthread_cond_t changed_ = PTHREAD_COND_INITIALIZER;
  Present presents_[kMost];  // from here on under the mutex
  std::uint32_t added_ = 0, taken_ = 0;
  std::atomic<bool> ending_ = false;
  std::atomic<std::int64_t> latest_ = kUnknownTime.count();
  pthread_t thread_{};
  bool runs_ = false;
};

}  // namespace idlemeter::probe
