// A game in Vulkan whose picture stands still: its windows are of one colour, (40, 80, 120).
//
//   still_vulkan [--frames N] [--windows N] [--threads] [--swapchains N] [--srgb] [--submit2] [--pause MS]
//
// --windows: so many, presented by one call; --threads: by a call of a thread each; --swapchains: each window gets so
// many of them, one after another, each for all frames; --srgb: images that take colours as linear light; --submit2:
// vkQueueSubmit2 instead of vkQueueSubmit. Says "no graphics" where its queue has none, and "presented N".
#include <SDL2/SDL.h>
#include <SDL2/SDL_vulkan.h>

#include <atomic>
#include <chrono>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <memory>
#include <mutex>
#include <thread>
#include <vector>
#include <vulkan/vulkan_raii.hpp>

namespace {

struct Options {
  int frames = 60, windows = 1, swapchains = 1, pause = 0;
  bool threads = false, srgb = false, submit2 = false;
};

std::atomic<int> presented = 0;

/// What all windows have in common.
struct Game {
  vk::raii::Context context;
  vk::raii::Instance instance = nullptr;
  vk::raii::PhysicalDevice card = nullptr;
  vk::raii::Device device = nullptr;
  vk::raii::Queue queue = nullptr;
  std::mutex queue_mutex;

  explicit Game(SDL_Window* window) {
    unsigned count = 0;
    SDL_Vulkan_GetInstanceExtensions(window, &count, nullptr);
    std::vector<const char*> extensions(count);
    SDL_Vulkan_GetInstanceExtensions(window, &count, extensions.data());
    const vk::ApplicationInfo about("still_vulkan", 1, nullptr, 0, VK_API_VERSION_1_3);
    instance = vk::raii::Instance(context, vk::InstanceCreateInfo({}, &about, {}, extensions));
    card = vk::raii::PhysicalDevices(instance).front();
    const float priority = 1;
    const vk::DeviceQueueCreateInfo queues({}, 0, 1, &priority);
    const char* swapchains = VK_KHR_SWAPCHAIN_EXTENSION_NAME;
    vk::PhysicalDeviceVulkan13Features features;
    features.synchronization2 = VK_TRUE;
    device = vk::raii::Device(card, vk::DeviceCreateInfo({}, queues, {}, swapchains, nullptr, &features));
    queue = device.getQueue(0, 0);
    if (!(card.getQueueFamilyProperties()[0].queueFlags & vk::QueueFlagBits::eGraphics)) std::puts("no graphics");
    std::fflush(stdout);
  }
};

/// One swapchain of a window, and what each of its images needs.
class Screen {
 public:
  Screen(Game& game, vk::SurfaceKHR surface, const Options& options) : game_(game), options_(options) {
    const auto can = game.card.getSurfaceCapabilitiesKHR(surface);
    vk::SwapchainCreateInfoKHR info(
        {}, surface, can.minImageCount + 1, options.srgb ? vk::Format::eB8G8R8A8Srgb : vk::Format::eB8G8R8A8Unorm,
        vk::ColorSpaceKHR::eSrgbNonlinear, can.currentExtent, 1, vk::ImageUsageFlagBits::eTransferDst);
    info.presentMode = vk::PresentModeKHR::eImmediate;
    swapchain = vk::raii::SwapchainKHR(game.device, info);
    pool_ = vk::raii::CommandPool(game.device, {vk::CommandPoolCreateFlagBits::eResetCommandBuffer, 0});
    images_ = swapchain.getImages();
    commands_ = vk::raii::CommandBuffers(
        game.device, {*pool_, vk::CommandBufferLevel::ePrimary, static_cast<std::uint32_t>(images_.size())});
    for (std::size_t i = 0; i < images_.size(); ++i) {
      drawn.emplace_back(game.device, vk::SemaphoreCreateInfo());
      record(commands_[i], images_[i]);
    }
    acquired_ = vk::raii::Fence(game.device, vk::FenceCreateInfo());
  }

  /// Draws into the next image; its index.
  std::uint32_t draw() {
    const auto [result, index] = swapchain.acquireNextImage(UINT64_MAX, nullptr, *acquired_);
    (void)game_.device.waitForFences(*acquired_, VK_TRUE, UINT64_MAX);
    game_.device.resetFences(*acquired_);
    if (options_.submit2) {
      const vk::CommandBufferSubmitInfo commands(*commands_[index]);
      const vk::SemaphoreSubmitInfo done(*drawn[index], 0, vk::PipelineStageFlagBits2::eAllCommands);
      game_.queue.submit2(vk::SubmitInfo2({}, {}, commands, done));
    } else {
      game_.queue.submit(vk::SubmitInfo({}, {}, *commands_[index], *drawn[index]));
    }
    return index;
  }

  vk::raii::SwapchainKHR swapchain = nullptr;
  std::vector<vk::raii::Semaphore> drawn;

 private:
  void record(const vk::raii::CommandBuffer& commands, vk::Image image) const {
    const auto linear = [](double shade) { return static_cast<float>(std::pow((shade / 255 + 0.055) / 1.055, 2.4)); };
    const auto plain = [](double shade) { return static_cast<float>(shade / 255); };
    const vk::ClearColorValue colour = options_.srgb
                                           ? vk::ClearColorValue(std::array{linear(40), linear(80), linear(120), 1.f})
                                           : vk::ClearColorValue(std::array{plain(40), plain(80), plain(120), 1.f});
    const vk::ImageSubresourceRange whole(vk::ImageAspectFlagBits::eColor, 0, 1, 0, 1);
    vk::ImageMemoryBarrier barrier({}, vk::AccessFlagBits::eTransferWrite, vk::ImageLayout::eUndefined,
                                   vk::ImageLayout::eTransferDstOptimal, VK_QUEUE_FAMILY_IGNORED,
                                   VK_QUEUE_FAMILY_IGNORED, image, whole);
    using Stage = vk::PipelineStageFlagBits;
    commands.begin({vk::CommandBufferUsageFlagBits::eSimultaneousUse});
    commands.pipelineBarrier(Stage::eTopOfPipe, Stage::eTransfer, {}, {}, {}, barrier);
    commands.clearColorImage(image, vk::ImageLayout::eTransferDstOptimal, colour, whole);
    barrier.srcAccessMask = vk::AccessFlagBits::eTransferWrite;
    barrier.dstAccessMask = {};
    barrier.oldLayout = vk::ImageLayout::eTransferDstOptimal;
    barrier.newLayout = vk::ImageLayout::ePresentSrcKHR;
    commands.pipelineBarrier(Stage::eTransfer, Stage::eBottomOfPipe, {}, {}, {}, barrier);
    commands.end();
  }

  Game& game_;
  Options options_;
  vk::raii::CommandPool pool_ = nullptr;
  vk::raii::CommandBuffers commands_ = nullptr;
  std::vector<vk::Image> images_;
  vk::raii::Fence acquired_ = nullptr;
};

/// All of these windows by one call, frame after frame.
void play(Game& game, const std::vector<VkSurfaceKHR>& surfaces, const Options& options) {
  for (int swapchain = 0; swapchain < options.swapchains; ++swapchain) {
    std::vector<std::unique_ptr<Screen>> screens;
    for (VkSurfaceKHR surface : surfaces)
      screens.push_back(std::make_unique<Screen>(game, vk::SurfaceKHR(surface), options));
    for (int frame = 0; frame < options.frames; ++frame) {
      {
        const std::lock_guard lock(game.queue_mutex);
        std::vector<vk::SwapchainKHR> swapchains;
        std::vector<vk::Semaphore> drawn;
        std::vector<std::uint32_t> indices;
        for (const auto& screen : screens) {
          const std::uint32_t index = screen->draw();
          swapchains.push_back(*screen->swapchain);
          drawn.push_back(*screen->drawn[index]);
          indices.push_back(index);
        }
        if (game.queue.presentKHR({drawn, swapchains, indices}) != vk::Result::eSuccess) std::exit(5);
        presented += static_cast<int>(screens.size());
      }
      std::this_thread::sleep_for(std::chrono::milliseconds(options.pause));
    }
    const std::lock_guard lock(game.queue_mutex);
    game.device.waitIdle();
    screens.clear();
  }
}

}  // namespace

int main(int argc, char** argv) {
  Options options;
  for (int i = 1; i < argc; ++i) {
    const auto is = [&](const char* word) { return std::strcmp(argv[i], word) == 0; };
    int* const number = is("--frames")       ? &options.frames
                        : is("--windows")    ? &options.windows
                        : is("--swapchains") ? &options.swapchains
                        : is("--pause")      ? &options.pause
                                             : nullptr;
    if (number != nullptr && i + 1 < argc) *number = std::atoi(argv[++i]);
    options.threads |= is("--threads");
    options.srgb |= is("--srgb");
    options.submit2 |= is("--submit2");
  }
  SDL_SetHint(SDL_HINT_NO_SIGNAL_HANDLERS, "1");
  if (SDL_Init(SDL_INIT_VIDEO) != 0) return 3;
  std::vector<SDL_Window*> windows;
  for (int i = 0; i < options.windows; ++i)
    windows.push_back(SDL_CreateWindow("Still", 330 * i, 0, 320, 240, SDL_WINDOW_VULKAN | SDL_WINDOW_BORDERLESS));
  try {
    Game game(windows[0]);
    std::vector<VkSurfaceKHR> surfaces(windows.size());
    std::vector<vk::raii::SurfaceKHR> owned;
    for (std::size_t i = 0; i < windows.size(); ++i) {
      if (SDL_Vulkan_CreateSurface(windows[i], *game.instance, &surfaces[i]) == SDL_FALSE) return 3;
      owned.emplace_back(game.instance, surfaces[i]);
      (void)game.card.getSurfaceSupportKHR(0, *owned.back());
    }
    if (options.threads) {
      std::vector<std::thread> threads;
      for (VkSurfaceKHR surface : surfaces)
        threads.emplace_back([&game, &options, surface] { play(game, {surface}, options); });
      for (std::thread& thread : threads) thread.join();
    } else {
      play(game, surfaces, options);
    }
  } catch (const std::exception& error) {
    std::printf("%s\n", error.what());
    return 4;
  }
  SDL_Quit();
  std::printf("presented %d\n", presented.load());
  return 0;
}
