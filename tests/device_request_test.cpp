// What the layer asks a made-up driver for, besides what a game asks for.
#include "vulkan/device_request.hpp"

#include <gtest/gtest.h>
#include <stdlib.h>
#include <string.h>

#include <string>
#include <vector>

#include "link/gpu_time.hpp"
#include "vulkan/device.hpp"

namespace idlemeter::probe {
namespace {

using Waits = DeviceRequest::Waits;

constexpr const char* kClocks = VK_EXT_CALIBRATED_TIMESTAMPS_EXTENSION_NAME;
constexpr const char* kIds = VK_KHR_PRESENT_ID_EXTENSION_NAME;
constexpr const char* kPresents = VK_KHR_PRESENT_WAIT_EXTENSION_NAME;

/// What the driver has.
std::vector<std::string> g_extensions;
std::vector<VkTimeDomainEXT> g_domains;
bool g_waits = true;

VkResult list_extensions(VkPhysicalDevice, const char*, std::uint32_t* count, VkExtensionProperties* into) {
  if (into == nullptr) {
    *count = static_cast<std::uint32_t>(g_extensions.size());
    return VK_SUCCESS;
  }
  for (std::uint32_t i = 0; i < *count; ++i)
    ::strncpy(into[i].extensionName, g_extensions[i].c_str(), VK_MAX_EXTENSION_NAME_SIZE - 1);
  return VK_SUCCESS;
}

VkResult list_domains(VkPhysicalDevice, std::uint32_t* count, VkTimeDomainEXT* into) {
  *count = static_cast<std::uint32_t>(g_domains.size());
  for (std::uint32_t i = 0; i < *count; ++i) into[i] = g_domains[i];
  return VK_SUCCESS;
}

void list_features(VkPhysicalDevice, VkPhysicalDeviceFeatures2* all) {
  for (auto* one = static_cast<VkBaseOutStructure*>(all->pNext); one != nullptr; one = one->pNext) {
    if (one->sType == VK_STRUCTURE_TYPE_PHYSICAL_DEVICE_PRESENT_ID_FEATURES_KHR)
      reinterpret_cast<VkPhysicalDevicePresentIdFeaturesKHR*>(one)->presentId = VK_TRUE;
    if (one->sType == VK_STRUCTURE_TYPE_PHYSICAL_DEVICE_PRESENT_WAIT_FEATURES_KHR)
      reinterpret_cast<VkPhysicalDevicePresentWaitFeaturesKHR*>(one)->presentWait = g_waits ? VK_TRUE : VK_FALSE;
  }
}

class ADeviceRequest : public ::testing::Test {
 protected:
  ADeviceRequest() {
    renew_driver();
    instance_.EnumerateDeviceExtensionProperties = &list_extensions;
    instance_.GetPhysicalDeviceCalibrateableTimeDomainsEXT = &list_domains;
    instance_.GetPhysicalDeviceFeatures2 = &list_features;
    asked_.sType = VK_STRUCTURE_TYPE_DEVICE_CREATE_INFO;
    asked_.enabledExtensionCount = 1;
    asked_.ppEnabledExtensionNames = &swapchain_;
  }
  ~ADeviceRequest() override { ::unsetenv(link::kGpuTimeVariable); }

  /// One that has all of it.
  static void renew_driver() {
    ::unsetenv(link::kGpuTimeVariable);
    g_extensions = {"VK_KHR_swapchain", kClocks, kIds, kPresents};
    g_domains = {VK_TIME_DOMAIN_DEVICE_EXT, VK_TIME_DOMAIN_CLOCK_MONOTONIC_EXT};
    g_waits = true;
  }

  static std::vector<std::string> extensions_of(const DeviceRequest& request) {
    const VkDeviceCreateInfo& info = request.info();
    return {info.ppEnabledExtensionNames, info.ppEnabledExtensionNames + info.enabledExtensionCount};
  }

  const char* swapchain_ = "VK_KHR_swapchain";
  Instance instance_;
  VkDeviceCreateInfo asked_{};
};

TEST_F(ADeviceRequest, AddsWhatTheDriverHas) {
  const DeviceRequest request(instance_, VK_NULL_HANDLE, asked_);
  EXPECT_TRUE(request.reads_clocks());
  EXPECT_EQ(request.waits(), Waits::by_own_numbers);
  EXPECT_EQ(extensions_of(request), (std::vector<std::string>{"VK_KHR_swapchain", kClocks, kIds, kPresents}));
  const auto* ids = in_chain(request.info().pNext, VK_STRUCTURE_TYPE_PHYSICAL_DEVICE_PRESENT_ID_FEATURES_KHR);
  const auto* waits = in_chain(request.info().pNext, VK_STRUCTURE_TYPE_PHYSICAL_DEVICE_PRESENT_WAIT_FEATURES_KHR);
  ASSERT_TRUE(ids != nullptr && waits != nullptr);
  EXPECT_EQ(reinterpret_cast<const VkPhysicalDevicePresentIdFeaturesKHR*>(ids)->presentId, VK_TRUE);
  EXPECT_EQ(reinterpret_cast<const VkPhysicalDevicePresentWaitFeaturesKHR*>(waits)->presentWait, VK_TRUE);
  EXPECT_EQ(asked_.enabledExtensionCount, 1u) << "the game's own request stays as it is";
  EXPECT_EQ(asked_.pNext, nullptr);
}

TEST_F(ADeviceRequest, AsksForNothingThatIsMissing) {
  const struct {
    const char* name;
    void (*change)(Instance& instance);
    bool reads_clocks;
    Waits waits;
  } cases[] = {
      {"no extension", [](Instance&) { g_extensions = {"VK_KHR_swapchain"}; }, false, Waits::no},
      {"no monotonic clock", [](Instance&) { g_domains.pop_back(); }, false, Waits::by_own_numbers},
      {"no feature", [](Instance&) { g_waits = false; }, true, Waits::no},
      {"Vulkan 1.0", [](Instance& one) { one.GetPhysicalDeviceFeatures2 = nullptr; }, true, Waits::no},
      {"no call for clocks", [](Instance& one) { one.GetPhysicalDeviceCalibrateableTimeDomainsEXT = nullptr; }, false,
       Waits::by_own_numbers},
      {"turned off", [](Instance&) { ::setenv(link::kGpuTimeVariable, "off", 1); }, false, Waits::no},
  };
  for (const auto& one : cases) {
    renew_driver();
    Instance instance = instance_;
    one.change(instance);
    const DeviceRequest request(instance, VK_NULL_HANDLE, asked_);
    EXPECT_EQ(request.reads_clocks(), one.reads_clocks) << one.name;
    EXPECT_EQ(request.waits(), one.waits) << one.name;
    EXPECT_EQ(request.info().pNext == nullptr, one.waits == Waits::no) << one.name;
  }
}

/// A game that waits for presents itself numbers them; one that asks for half of it is left alone.
TEST_F(ADeviceRequest, LeavesTheGamesOwnFeaturesAlone) {
  auto ids = made<VkPhysicalDevicePresentIdFeaturesKHR>(VK_STRUCTURE_TYPE_PHYSICAL_DEVICE_PRESENT_ID_FEATURES_KHR);
  auto waits =
      made<VkPhysicalDevicePresentWaitFeaturesKHR>(VK_STRUCTURE_TYPE_PHYSICAL_DEVICE_PRESENT_WAIT_FEATURES_KHR);
  const char* names[] = {swapchain_, kIds, kPresents, kClocks};
  asked_.enabledExtensionCount = 4;
  asked_.ppEnabledExtensionNames = names;
  ids.presentId = waits.presentWait = VK_TRUE;
  ids.pNext = &waits;
  asked_.pNext = &ids;
  {
    const DeviceRequest request(instance_, VK_NULL_HANDLE, asked_);
    EXPECT_EQ(request.waits(), Waits::by_games_numbers);
    EXPECT_EQ(extensions_of(request).size(), 4u) << "none twice";
    EXPECT_EQ(request.info().pNext, &ids);
  }
  waits.presentWait = VK_FALSE;
  EXPECT_EQ(DeviceRequest(instance_, VK_NULL_HANDLE, asked_).waits(), Waits::no);
  ids.pNext = nullptr;
  EXPECT_EQ(DeviceRequest(instance_, VK_NULL_HANDLE, asked_).waits(), Waits::no);
}

}  // namespace
}  // namespace idlemeter::probe
