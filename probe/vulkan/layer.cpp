// The layer between a game and its Vulkan driver: stamps presents, puts the overlay onto swapchain images.
#include "vulkan/layer.hpp"

#include <pthread.h>
#include <stdio.h>
#include <string.h>

#include <algorithm>
#include <iterator>

#include "fork_lock.hpp"

#define IDLEMETER_EXPORT extern "C" __attribute__((visibility("default")))

namespace idlemeter::probe {

/// Never destroyed: a game may present while the process ends.
Layer& layer() {
  static Layer* const one = [] {
    static bool is_locked = false;
    ::pthread_atfork([] { is_locked = lock_for_fork(layer().mutex); },
                     [] {
                       if (is_locked) layer().mutex.unlock();
                     },
                     [] {
                       layer().end.forget();
                       unlock_in_child(layer().mutex);
                     });
    return new Layer;
  }();
  return *one;
}

/// Runs at a normal exit.
__attribute__((destructor)) static void close_link() { layer().end.close(); }

Instance* instance_of(const void* handle) {
  const std::lock_guard<std::mutex> lock(layer().mutex);
  const auto found = layer().instances.find(key_of(handle));
  return found == layer().instances.end() ? nullptr : found->second.get();
}

Device* device_of(const void* handle) {
  const std::lock_guard<std::mutex> lock(layer().mutex);
  const auto found = layer().devices.find(key_of(handle));
  return found == layer().devices.end() ? nullptr : found->second.get();
}

namespace {

/// Whether an instance was made by Mesa's driver that does OpenGL by Vulkan; the probe for OpenGL sees that game's
/// swaps.
bool is_of_opengl(const VkApplicationInfo* about) {
  return about != nullptr && about->pEngineName != nullptr && ::strcmp(about->pEngineName, "mesa zink") == 0;
}

template <typename Info>
Info* link_info(const void* chain, VkStructureType type, VkLayerFunction function) {
  auto* info = static_cast<Info*>(const_cast<void*>(chain));
  while (info != nullptr && (info->sType != type || info->function != function))
    info = static_cast<Info*>(const_cast<void*>(info->pNext));
  return info;
}

// Instances and devices.

VKAPI_ATTR VkResult VKAPI_CALL create_instance(const VkInstanceCreateInfo* info, const VkAllocationCallbacks* allocator,
                                               VkInstance* made) {
  auto* link = link_info<VkLayerInstanceCreateInfo>(info->pNext, VK_STRUCTURE_TYPE_LOADER_INSTANCE_CREATE_INFO,
                                                    VK_LAYER_LINK_INFO);
  if (link == nullptr) return VK_ERROR_INITIALIZATION_FAILED;
  const PFN_vkGetInstanceProcAddr next = link->u.pLayerInfo->pfnNextGetInstanceProcAddr;
  link->u.pLayerInfo = link->u.pLayerInfo->pNext;
  const auto create = reinterpret_cast<PFN_vkCreateInstance>(next(VK_NULL_HANDLE, "vkCreateInstance"));
  const VkResult result = create(info, allocator, made);
  if (result != VK_SUCCESS) return result;
  auto instance = std::make_unique<Instance>();
  instance->handle = *made;
  instance->next = next;
#define IDLEMETER_LOAD(name) instance->name = reinterpret_cast<PFN_vk##name>(next(*made, "vk" #name));
  IDLEMETER_VK_INSTANCE(IDLEMETER_LOAD)
  IDLEMETER_LOAD(EnumerateDeviceExtensionProperties)
  IDLEMETER_LOAD(GetPhysicalDeviceCalibrateableTimeDomainsEXT)
  IDLEMETER_LOAD(GetPhysicalDeviceSurfaceCapabilitiesKHR)
  const VkApplicationInfo* game = info->pApplicationInfo;
  if (game != nullptr && game->apiVersion != 0) instance->version = game->apiVersion;
  instance->is_of_opengl = is_of_opengl(game);
  if (instance->version >= VK_API_VERSION_1_1) {
    IDLEMETER_LOAD(GetPhysicalDeviceProperties2)
    IDLEMETER_LOAD(GetPhysicalDeviceFeatures2)
  }
#undef IDLEMETER_LOAD
  const std::lock_guard<std::mutex> lock(layer().mutex);
  layer().instances[key_of(*made)] = std::move(instance);
  return result;
}

VKAPI_ATTR void VKAPI_CALL destroy_instance(VkInstance handle, const VkAllocationCallbacks* allocator) {
  if (handle == VK_NULL_HANDLE) return;
  void* const key = key_of(handle);
  const PFN_vkDestroyInstance destroy = instance_of(handle)->DestroyInstance;
  destroy(handle, allocator);
  const std::lock_guard<std::mutex> lock(layer().mutex);
  layer().instances.erase(key);
}

void remember_queues(Device& device, const VkDeviceCreateInfo& info) {
  for (std::uint32_t i = 0; i < info.queueCreateInfoCount; ++i) {
    const VkDeviceQueueCreateInfo& family = info.pQueueCreateInfos[i];
    if (family.flags != 0) continue;  // protected queues are left alone
    for (std::uint32_t j = 0; j < family.queueCount; ++j) {
      VkQueue queue = VK_NULL_HANDLE;
      device.calls.GetDeviceQueue(device.handle, family.queueFamilyIndex, j, &queue);
      const VkQueueFlags does = device.families[family.queueFamilyIndex].queueFlags;
      const bool computes_only = (does & VK_QUEUE_COMPUTE_BIT) != 0 && (does & VK_QUEUE_GRAPHICS_BIT) == 0;
      device.has_compute_queue = device.has_compute_queue || computes_only;
      if (queue != VK_NULL_HANDLE) layer().queues.try_emplace(queue, device, family.queueFamilyIndex);
    }
  }
}

/// "llvmpipe, Mesa 22.3.6 (LLVM 15.0.6)" if game and driver have Vulkan 1.2, else the device's name.
void note_driver(Device& device) {
  const VkPhysicalDeviceProperties& about = device.properties;
  ::snprintf(device.driver, sizeof device.driver, "%.127s", about.deviceName);
  if (std::min(device.instance->version, about.apiVersion) < VK_API_VERSION_1_2) return;
  auto driver = made<VkPhysicalDeviceDriverProperties>(VK_STRUCTURE_TYPE_PHYSICAL_DEVICE_DRIVER_PROPERTIES);
  auto all = made<VkPhysicalDeviceProperties2>(VK_STRUCTURE_TYPE_PHYSICAL_DEVICE_PROPERTIES_2);
  all.pNext = &driver;
  device.instance->GetPhysicalDeviceProperties2(device.physical, &all);
  if (driver.driverName[0] != '\0')
    ::snprintf(device.driver, sizeof device.driver, "%.60s, %.60s", driver.driverName, driver.driverInfo);
}

void load_calls(Device& device) {
#define IDLEMETER_LOAD(name) device.calls.name = reinterpret_cast<PFN_vk##name>(device.next(device.handle, "vk" #name));
  IDLEMETER_VK_DEVICE(IDLEMETER_LOAD)
#undef IDLEMETER_LOAD
}

/// Its memory, its queues and its driver.
void note_properties(Device& device) {
  const Instance& instance = *device.instance;
  instance.GetPhysicalDeviceMemoryProperties(device.physical, &device.memory);
  std::uint32_t count = 0;
  instance.GetPhysicalDeviceQueueFamilyProperties(device.physical, &count, nullptr);
  device.families.resize(count);
  instance.GetPhysicalDeviceQueueFamilyProperties(device.physical, &count, device.families.data());
  instance.GetPhysicalDeviceProperties(device.physical, &device.properties);
  note_driver(device);
}

VKAPI_ATTR VkResult VKAPI_CALL create_device(VkPhysicalDevice physical, const VkDeviceCreateInfo* info,
                                             const VkAllocationCallbacks* allocator, VkDevice* made) {
  constexpr auto kType = VK_STRUCTURE_TYPE_LOADER_DEVICE_CREATE_INFO;
  auto* link = link_info<VkLayerDeviceCreateInfo>(info->pNext, kType, VK_LAYER_LINK_INFO);
  const auto* loader = link_info<VkLayerDeviceCreateInfo>(info->pNext, kType, VK_LOADER_DATA_CALLBACK);
  const Instance* instance = instance_of(physical);
  if (link == nullptr || instance == nullptr) return VK_ERROR_INITIALIZATION_FAILED;
  const PFN_vkGetInstanceProcAddr next_instance = link->u.pLayerInfo->pfnNextGetInstanceProcAddr;
  const PFN_vkGetDeviceProcAddr next = link->u.pLayerInfo->pfnNextGetDeviceProcAddr;
  link->u.pLayerInfo = link->u.pLayerInfo->pNext;
  const auto create = reinterpret_cast<PFN_vkCreateDevice>(next_instance(instance->handle, "vkCreateDevice"));
  const VkLayerDeviceLink* const below = link->u.pLayerInfo;
  const DeviceRequest request(*instance, physical, *info);
  VkResult result = create(physical, &request.info(), allocator, made);
  const bool as_wished = result == VK_SUCCESS;
  if (!as_wished) {  // then exactly as the game asked for it
    link->u.pLayerInfo = const_cast<VkLayerDeviceLink*>(below);
    result = create(physical, info, allocator, made);
  }
  if (result != VK_SUCCESS) return result;
  auto device = std::make_unique<Device>();
  device->handle = *made;
  device->physical = physical;
  device->instance = instance;
  device->next = next;
  device->set_loader_data = loader == nullptr ? nullptr : loader->u.pfnSetDeviceLoaderData;
  load_calls(*device);
  note_properties(*device);
  device->reads_clocks = as_wished && request.reads_clocks() && device->calls.GetCalibratedTimestampsEXT != nullptr;
  if (as_wished && device->calls.WaitForPresentKHR != nullptr) device->waits = request.waits();
  const std::lock_guard<std::mutex> lock(layer().mutex);
  if (!instance->is_of_opengl) remember_queues(*device, *info);  // nothing is counted or drawn on others
  layer().devices[key_of(*made)] = std::move(device);
  return result;
}

VKAPI_ATTR void VKAPI_CALL destroy_device(VkDevice handle, const VkAllocationCallbacks* allocator) {
  if (handle == VK_NULL_HANDLE) return;
  void* const key = key_of(handle);
  Device* device = device_of(handle);
  const PFN_vkDestroyDevice destroy = device->calls.DestroyDevice;
  std::vector<std::unique_ptr<ScreenClock>> clocks;  // destroyed without the lock, for that may wait
  {
    const std::lock_guard<std::mutex> lock(layer().mutex);
    auto& swapchains = layer().swapchains;
    for (auto one = swapchains.begin(); one != swapchains.end();) {  // those that the game has never destroyed
      if (one->second.target.device != device) {
        ++one;
        continue;
      }
      if (one->second.overlay != nullptr) one->second.overlay->destroy();
      clocks.push_back(std::move(one->second.clock));
      one = swapchains.erase(one);
    }
  }
  clocks.clear();
  {
    const std::lock_guard<std::mutex> lock(layer().mutex);
    for (auto queue = layer().queues.begin(); queue != layer().queues.end();) {
      const bool is_its = queue->second.device == device;
      if (is_its) queue->second.clock.destroy();
      queue = is_its ? layer().queues.erase(queue) : std::next(queue);
    }
    layer().devices.erase(key);
  }
  destroy(handle, allocator);
}

// Swapchains.

VKAPI_ATTR VkResult VKAPI_CALL create_swapchain(VkDevice handle, const VkSwapchainCreateInfoKHR* info,
                                                const VkAllocationCallbacks* allocator, VkSwapchainKHR* made) {
  Device& device = *device_of(handle);
  VkSwapchainCreateInfoKHR changed = *info;
  VkSurfaceCapabilitiesKHR can{};
  const auto ask = device.instance->GetPhysicalDeviceSurfaceCapabilitiesKHR;
  const bool known =
      ask != nullptr && ask(device.physical, info->surface, &can) == VK_SUCCESS && info->imageArrayLayers == 1;
  constexpr VkImageUsageFlags kDrawn = VK_IMAGE_USAGE_COLOR_ATTACHMENT_BIT;
  constexpr VkImageUsageFlags kCopied = VK_IMAGE_USAGE_TRANSFER_SRC_BIT | VK_IMAGE_USAGE_TRANSFER_DST_BIT;
  const bool drawable = known && (can.supportedUsageFlags & kDrawn) == kDrawn;
  const bool copyable = known && device.has_compute_queue && (can.supportedUsageFlags & kCopied) == kCopied;
  if (drawable) changed.imageUsage |= kDrawn;
  if (copyable) changed.imageUsage |= kCopied;
  const VkResult result = device.calls.CreateSwapchainKHR(handle, &changed, allocator, made);
  if (result != VK_SUCCESS) return result;
  const std::lock_guard<std::mutex> lock(layer().mutex);
  layer().swapchains.insert_or_assign(
      *made, Swapchain{{&device, *made, info->imageFormat, info->imageColorSpace, info->imageExtent},
                       drawable,
                       copyable,
                       nullptr,
                       nullptr});
  return result;
}

VKAPI_ATTR void VKAPI_CALL destroy_swapchain(VkDevice handle, VkSwapchainKHR swapchain,
                                             const VkAllocationCallbacks* allocator) {
  Device& device = *device_of(handle);
  std::unique_ptr<ScreenClock> clock;  // destroyed without the lock, for that may wait
  {
    const std::lock_guard<std::mutex> lock(layer().mutex);
    const auto found = layer().swapchains.find(swapchain);
    if (found != layer().swapchains.end()) {
      if (found->second.overlay != nullptr) found->second.overlay->destroy();
      clock = std::move(found->second.clock);
      layer().swapchains.erase(found);
    }
  }
  clock.reset();
  device.calls.DestroySwapchainKHR(handle, swapchain, allocator);
}

// Look-ups.

PFN_vkVoidFunction device_call(const char* name);
PFN_vkVoidFunction instance_call(const char* name);

VKAPI_ATTR PFN_vkVoidFunction VKAPI_CALL get_device_call(VkDevice device, const char* name) {
  const PFN_vkVoidFunction below = device_of(device)->next(device, name);
  const PFN_vkVoidFunction own = below == nullptr ? nullptr : device_call(name);
  return own == nullptr ? below : own;
}

VKAPI_ATTR PFN_vkVoidFunction VKAPI_CALL get_instance_call(VkInstance instance, const char* name) {
  if (const PFN_vkVoidFunction own = instance_call(name)) return own;
  const PFN_vkVoidFunction below = instance == VK_NULL_HANDLE ? nullptr : instance_of(instance)->next(instance, name);
  const PFN_vkVoidFunction own = below == nullptr ? nullptr : device_call(name);
  return own == nullptr ? below : own;
}

struct Named {
  const char* name;
  PFN_vkVoidFunction call;
};

template <typename F>
PFN_vkVoidFunction plain(F call) {
  return reinterpret_cast<PFN_vkVoidFunction>(call);
}

template <std::size_t N>
PFN_vkVoidFunction look_up(const Named (&calls)[N], const char* name) {
  for (const Named& call : calls) {
    if (::strcmp(call.name, name) == 0) return call.call;
  }
  return nullptr;
}

PFN_vkVoidFunction instance_call(const char* name) {
  static const Named calls[] = {{"vkGetInstanceProcAddr", plain(&get_instance_call)},
                                {"vkCreateInstance", plain(&create_instance)},
                                {"vkDestroyInstance", plain(&destroy_instance)},
                                {"vkCreateDevice", plain(&create_device)}};
  return look_up(calls, name);
}

PFN_vkVoidFunction device_call(const char* name) {
  static const Named calls[] = {{"vkGetDeviceProcAddr", plain(&get_device_call)},
                                {"vkDestroyDevice", plain(&destroy_device)},
                                {"vkCreateSwapchainKHR", plain(&create_swapchain)},
                                {"vkDestroySwapchainKHR", plain(&destroy_swapchain)},
                                {"vkQueueSubmit", plain(&queue_submit)},
                                {"vkQueueSubmit2", plain(&queue_submit2)},
                                {"vkQueueSubmit2KHR", plain(&queue_submit2_khr)},
                                {"vkQueuePresentKHR", plain(&queue_present)}};
  return look_up(calls, name);
}

}  // namespace
}  // namespace idlemeter::probe

IDLEMETER_EXPORT VKAPI_ATTR VkResult VKAPI_CALL
vkNegotiateLoaderLayerInterfaceVersion(VkNegotiateLayerInterface* loader) {
  if (loader->loaderLayerInterfaceVersion < 2) return VK_ERROR_INITIALIZATION_FAILED;
  loader->loaderLayerInterfaceVersion = 2;
  loader->pfnGetInstanceProcAddr = &idlemeter::probe::get_instance_call;
  loader->pfnGetDeviceProcAddr = &idlemeter::probe::get_device_call;
  loader->pfnGetPhysicalDeviceProcAddr = nullptr;
  return VK_SUCCESS;
}
