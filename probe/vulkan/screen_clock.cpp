#include "vulkan/screen_clock.hpp"

#include <signal.h>

namespace idlemeter::probe {

ScreenClock::ScreenClock(const Device& device, VkSwapchainKHR swapchain) : device_(device), swapchain_(swapchain) {
  sigset_t all, before;  // signals are for the game's threads
  ::sigfillset(&all);
  ::pthread_sigmask(SIG_SETMASK, &all, &before);
  runs_ = ::pthread_create(&thread_, nullptr, &run, this) == 0;
  ::pthread_sigmask(SIG_SETMASK, &before, nullptr);
}

ScreenClock::~ScreenClock() {
  if (!runs_) return;
  ::pthread_mutex_lock(&mutex_);
  ending_ = true;
  ::pthread_cond_signal(&changed_);
  ::pthread_mutex_unlock(&mutex_);
  ::pthread_join(thread_, nullptr);
}

void ScreenClock::presented(std::uint64_t number, Moment begun) {
  ::pthread_mutex_lock(&mutex_);
  if (added_ - taken_ < kMost) {
    presents_[added_++ % kMost] = {number, begun};
    ::pthread_cond_signal(&changed_);
  }
  ::pthread_mutex_unlock(&mutex_);
}

/// False at the end.
bool ScreenClock::next(Present& present) {
  ::pthread_mutex_lock(&mutex_);
  while (added_ == taken_ && !ending_) ::pthread_cond_wait(&changed_, &mutex_);
  const bool has = !ending_;
  if (has) present = presents_[taken_++ % kMost];
  ::pthread_mutex_unlock(&mutex_);
  return has;
}

void* ScreenClock::run(void* self) {
  constexpr std::uint64_t kAtMost = 50'000'000;  // nanoseconds between checks for the end
  auto& clock = *static_cast<ScreenClock*>(self);
  for (Present present; clock.next(present);) {
    VkResult result = VK_TIMEOUT;
    while (result == VK_TIMEOUT && !clock.ending_)
      result = clock.device_.calls.WaitForPresentKHR(clock.device_.handle, clock.swapchain_, present.number, kAtMost);
    if (result < 0) break;  // the swapchain is out of date, or the device lost
    if (result != VK_TIMEOUT) clock.latest_.store((monotonic_now() - present.begun).count(), std::memory_order_relaxed);
  }
  return nullptr;
}

}  // namespace idlemeter::probe
