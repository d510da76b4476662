// A Vulkan layer for tests: hides the queues with graphics from what is above it, like a game that presents from a
// compute queue.
#include <vulkan/vk_layer.h>
#include <vulkan/vulkan.h>

#include <cstring>
#include <vector>

namespace {

PFN_vkGetInstanceProcAddr next_call = nullptr;  // one instance is enough for a test
PFN_vkGetDeviceProcAddr next_device_call = nullptr;
VkInstance instance = VK_NULL_HANDLE;

template <typename Info>
Info* link_of(const void* chain, VkStructureType type) {
  auto* info = static_cast<Info*>(const_cast<void*>(chain));
  while (info != nullptr && (info->sType != type || info->function != VK_LAYER_LINK_INFO))
    info = static_cast<Info*>(const_cast<void*>(info->pNext));
  return info;
}

VkResult create_instance(const VkInstanceCreateInfo* info, const VkAllocationCallbacks* allocator, VkInstance* made) {
  auto* link = link_of<VkLayerInstanceCreateInfo>(info->pNext, VK_STRUCTURE_TYPE_LOADER_INSTANCE_CREATE_INFO);
  next_call = link->u.pLayerInfo->pfnNextGetInstanceProcAddr;
  link->u.pLayerInfo = link->u.pLayerInfo->pNext;
  const auto create = reinterpret_cast<PFN_vkCreateInstance>(next_call(VK_NULL_HANDLE, "vkCreateInstance"));
  const VkResult result = create(info, allocator, made);
  instance = *made;
  return result;
}

VkResult create_device(VkPhysicalDevice card, const VkDeviceCreateInfo* info, const VkAllocationCallbacks* allocator,
                       VkDevice* made) {
  auto* link = link_of<VkLayerDeviceCreateInfo>(info->pNext, VK_STRUCTURE_TYPE_LOADER_DEVICE_CREATE_INFO);
  next_device_call = link->u.pLayerInfo->pfnNextGetDeviceProcAddr;
  link->u.pLayerInfo = link->u.pLayerInfo->pNext;
  const auto create = reinterpret_cast<PFN_vkCreateDevice>(next_call(instance, "vkCreateDevice"));
  return create(card, info, allocator, made);
}

void get_families(VkPhysicalDevice card, uint32_t* count, VkQueueFamilyProperties* families) {
  constexpr const char* kName = "vkGetPhysicalDeviceQueueFamilyProperties";
  reinterpret_cast<PFN_vkGetPhysicalDeviceQueueFamilyProperties>(next_call(instance, kName))(card, count, families);
  for (uint32_t i = 0; families != nullptr && i < *count; ++i)
    families[i].queueFlags &= ~uint32_t{VK_QUEUE_GRAPHICS_BIT};
}

PFN_vkVoidFunction get_device_call(VkDevice device, const char* name) { return next_device_call(device, name); }

PFN_vkVoidFunction get_call(VkInstance of, const char* name) {
  if (std::strcmp(name, "vkCreateInstance") == 0) return reinterpret_cast<PFN_vkVoidFunction>(&create_instance);
  if (std::strcmp(name, "vkCreateDevice") == 0) return reinterpret_cast<PFN_vkVoidFunction>(&create_device);
  if (std::strcmp(name, "vkGetPhysicalDeviceQueueFamilyProperties") == 0)
    return reinterpret_cast<PFN_vkVoidFunction>(&get_families);
  return next_call(of, name);
}

}  // namespace

extern "C" __attribute__((visibility("default"))) VkResult vkNegotiateLoaderLayerInterfaceVersion(
    VkNegotiateLayerInterface* loader) {
  loader->loaderLayerInterfaceVersion = 2;
  loader->pfnGetInstanceProcAddr = &get_call;
  loader->pfnGetDeviceProcAddr = &get_device_call;
  loader->pfnGetPhysicalDeviceProcAddr = nullptr;
  return VK_SUCCESS;
}
