#include "vulkan/gpu_clock.hpp"

#include "idlemeter/base/time.hpp"
#include "link/gpu_time.hpp"
#include "link/handover.hpp"

namespace idlemeter::probe {

VulkanGpuClock::VulkanGpuClock(const Device& device, std::uint32_t family) : device_(&device), family_(family) {
  const bool known = family < device.families.size();
  constexpr VkQueueFlags kResets = VK_QUEUE_GRAPHICS_BIT | VK_QUEUE_COMPUTE_BIT;  // others may not reset queries
  const bool resets = known && (device.families[family].queueFlags & kResets) != 0;
  const std::uint32_t bits = resets ? device.families[family].timestampValidBits : 0;
  mask_ = bits >= 64 ? ~std::uint64_t{0} : (std::uint64_t{1} << bits) - 1;
  const bool stops = device.properties.deviceType == VK_PHYSICAL_DEVICE_TYPE_CPU;
  failed_ = bits == 0 || !link::times_gpu(stops);
}

/// Recorded once, submitted for every frame.
bool VulkanGpuClock::record(std::uint32_t pair) {
  const Calls& vk = device_->calls;
  for (const bool at_end : {false, true}) {
    const VkCommandBuffer commands = allocate_commands(*device_, pool_);
    (at_end ? pairs_[pair].end : pairs_[pair].begin) = commands;
    auto info = made<VkCommandBufferBeginInfo>(VK_STRUCTURE_TYPE_COMMAND_BUFFER_BEGIN_INFO);
    info.flags = VK_COMMAND_BUFFER_USAGE_SIMULTANEOUS_USE_BIT;
    if (commands == VK_NULL_HANDLE || vk.BeginCommandBuffer(commands, &info) != VK_SUCCESS) return false;
    if (!at_end) vk.CmdResetQueryPool(commands, queries_, 2 * pair, 2);
    // Once everything submitted earlier is done, so that it doesn't count the frame before.
    vk.CmdWriteTimestamp(commands, VK_PIPELINE_STAGE_BOTTOM_OF_PIPE_BIT, queries_, 2 * pair + (at_end ? 1 : 0));
    if (vk.EndCommandBuffer(commands) != VK_SUCCESS) return false;
  }
  return true;
}

/// Queries must be reset before they are read for the first time. The only wait, before the first frame.
bool VulkanGpuClock::reset(VkQueue queue) {
  const Calls& vk = device_->calls;
  const VkCommandBuffer commands = allocate_commands(*device_, pool_);
  auto info = made<VkCommandBufferBeginInfo>(VK_STRUCTURE_TYPE_COMMAND_BUFFER_BEGIN_INFO);
  info.flags = VK_COMMAND_BUFFER_USAGE_ONE_TIME_SUBMIT_BIT;
  if (commands == VK_NULL_HANDLE || vk.BeginCommandBuffer(commands, &info) != VK_SUCCESS) return false;
  vk.CmdResetQueryPool(commands, queries_, 0, 2 * kPairs);
  auto submit = made<VkSubmitInfo>(VK_STRUCTURE_TYPE_SUBMIT_INFO);
  submit.commandBufferCount = 1;
  submit.pCommandBuffers = &commands;
  return vk.EndCommandBuffer(commands) == VK_SUCCESS &&
         vk.QueueSubmit(queue, 1, &submit, VK_NULL_HANDLE) == VK_SUCCESS && vk.QueueWaitIdle(queue) == VK_SUCCESS;
}

bool VulkanGpuClock::prepare(VkQueue queue) {
  const Calls& vk = device_->calls;
  prepared_ = true;
  auto pool = made<VkCommandPoolCreateInfo>(VK_STRUCTURE_TYPE_COMMAND_POOL_CREATE_INFO);
  pool.queueFamilyIndex = family_;
  auto queries = made<VkQueryPoolCreateInfo>(VK_STRUCTURE_TYPE_QUERY_POOL_CREATE_INFO);
  queries.queryType = VK_QUERY_TYPE_TIMESTAMP;
  queries.queryCount = 2 * kPairs;
  if (vk.CreateCommandPool(device_->handle, &pool, nullptr, &pool_) != VK_SUCCESS) return false;
  if (vk.CreateQueryPool(device_->handle, &queries, nullptr, &queries_) != VK_SUCCESS) return false;
  for (std::uint32_t pair = 0; pair < kPairs; ++pair) {
    if (!record(pair)) return false;
  }
  return reset(queue);
}

VkCommandBuffer VulkanGpuClock::begin(VkQueue queue) {
  if (failed_ || begun_ || skips_) return VK_NULL_HANDLE;
  const bool slow = device_->properties.deviceType == VK_PHYSICAL_DEVICE_TYPE_CPU;
  skips_ = (slow && monotonic_now() < slow_due_) || ended_ - read_ == kPairs;
  if (skips_) return VK_NULL_HANDLE;
  if (!prepared_) failed_ = !prepare(queue);
  if (failed_) return VK_NULL_HANDLE;
  begun_ = true;
  if (slow) slow_due_ = monotonic_now() + link::kSlowClockEvery;
  return pairs_[ended_ % kPairs].begin;
}

VkCommandBuffer VulkanGpuClock::end() {
  skips_ = false;
  if (!begun_) return VK_NULL_HANDLE;
  begun_ = false;
  pairs_[ended_ % kPairs].begun = begins_;
  return pairs_[ended_++ % kPairs].end;
}

Nanoseconds VulkanGpuClock::in_nanoseconds(std::int64_t ticks) const {
  return Nanoseconds(static_cast<std::int64_t>(static_cast<double>(ticks) *
                                               static_cast<double>(device_->properties.limits.timestampPeriod)));
}

bool VulkanGpuClock::calibrate() {
  VkCalibratedTimestampInfoEXT infos[2] = {};
  infos[0].sType = infos[1].sType = VK_STRUCTURE_TYPE_CALIBRATED_TIMESTAMP_INFO_EXT;
  infos[0].timeDomain = VK_TIME_DOMAIN_DEVICE_EXT;
  infos[1].timeDomain = VK_TIME_DOMAIN_CLOCK_MONOTONIC_EXT;
  std::uint64_t times[2] = {}, deviation = 0;
  if (device_->calls.GetCalibratedTimestampsEXT(device_->handle, 2, infos, times, &deviation) != VK_SUCCESS)
    return false;
  calibration_ = times[0];
  calibrated_ = Moment{Nanoseconds(times[1])};
  return true;
}

/// Both clocks are compared once a second (VK_EXT_calibrated_timestamps): they hardly drift apart in between.
Nanoseconds VulkanGpuClock::latency(std::uint64_t ended, Moment begun) {
  if (!device_->reads_clocks || begun == Moment{}) return kUnknownTime;
  const bool is_due = calibrated_ == Moment{} || begun - calibrated_ > kSecond;
  if (is_due && !calibrate()) return kUnknownTime;
  std::uint64_t since = (ended - calibration_) & mask_;
  if (mask_ != ~std::uint64_t{0} && since > mask_ / 2) since |= ~mask_;  // it ended before the clocks were compared
  return calibrated_ + in_nanoseconds(static_cast<std::int64_t>(since)) - begun;
}

link::GpuTimes VulkanGpuClock::take() {
  if (read_ == ended_) return {};
  Pair& pair = pairs_[read_ % kPairs];
  std::uint64_t times[2][2] = {};  // each with whether it is there
  const VkResult result = device_->calls.GetQueryPoolResults(
      device_->handle, queries_, 2 * (read_ % kPairs), 2, sizeof times, times, sizeof times[0],
      VK_QUERY_RESULT_64_BIT | VK_QUERY_RESULT_WITH_AVAILABILITY_BIT);
  const bool there = times[0][1] != 0 && times[1][1] != 0 && times[1][0] != pair.ended_at;
  if ((result != VK_SUCCESS && result != VK_NOT_READY) || !there) return {};
  pair.ended_at = times[1][0];
  ++read_;
  return {in_nanoseconds(static_cast<std::int64_t>((times[1][0] - times[0][0]) & mask_)),
          latency(times[1][0], pair.begun)};
}

void VulkanGpuClock::destroy() {
  if (!prepared_) return;
  device_->calls.DestroyCommandPool(device_->handle, pool_, nullptr);
  device_->calls.DestroyQueryPool(device_->handle, queries_, nullptr);
}

}  // namespace idlemeter::probe
