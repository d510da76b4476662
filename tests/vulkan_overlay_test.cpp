// The overlay on Vulkan images and the GPU's clock, with a driver that does what real ones rarely do.
#include <gtest/gtest.h>

#include <functional>
#include <memory>
#include <thread>

#include "link/gpu_time.hpp"
#include "made_up_driver.hpp"
#include "vulkan/compute_overlay.hpp"
#include "vulkan/gpu_clock.hpp"
#include "vulkan/graphics_overlay.hpp"
#include "vulkan/screen_clock.hpp"

namespace idlemeter::probe {
namespace {

using testing::Driver;
using testing::made_up_device;

const VkSwapchainKHR kSwapchain = reinterpret_cast<VkSwapchainKHR>(77);
const VkQueue kQueue = reinterpret_cast<VkQueue>(5);
const VkSemaphore kGames[] = {reinterpret_cast<VkSemaphore>(501), reinterpret_cast<VkSemaphore>(502)};
const VkCommandBuffer kBefore = reinterpret_cast<VkCommandBuffer>(900);

Target target_of(const Device& device) {
  return {&device, kSwapchain, VK_FORMAT_B8G8R8A8_UNORM, VK_COLOR_SPACE_SRGB_NONLINEAR_KHR, {640, 360}};
}

struct Kind {
  const char* name;
  VkQueueFlags does;
  std::unique_ptr<Overlay> (*make)(const Target& target);
};

const Kind kKinds[] = {
    {"graphics", VK_QUEUE_GRAPHICS_BIT,
     [](const Target& target) -> std::unique_ptr<Overlay> { return std::make_unique<GraphicsOverlay>(target, 0); }},
    {"compute", VK_QUEUE_COMPUTE_BIT,
     [](const Target& target) -> std::unique_ptr<Overlay> { return std::make_unique<ComputeOverlay>(target, 0); }}};

/// Pictures of one shade, as a meter would hand them over. Without a link each is copied every time.
class Pictures {
 public:
  link::Shown shown(link::Slot slot, unsigned char shade) {
    pixels_.assign(std::size_t{slot.width} * slot.height * 4, shade);
    return {++id_, slot, pixels_.data()};
  }

 private:
  std::vector<unsigned char> pixels_;
  std::uint64_t id_ = 0;
};

VkSemaphore draw(Overlay& overlay, const link::Shown& shown, std::uint32_t image = 0, std::uint32_t family = 0,
                 VkCommandBuffer before = VK_NULL_HANDLE) {
  const link::ProbeEnd end;
  return overlay.draw(kQueue, family, image, end, shown, before, 2, kGames);
}

TEST(VulkanOverlay, SubmitsThePictureAfterTheGamesWork) {
  for (const Kind& kind : kKinds) {
    const Device device = made_up_device(kind.does);
    const auto overlay = kind.make(target_of(device));
    Pictures pictures;
    const VkSemaphore done = draw(*overlay, pictures.shown({10, 20, 100, 50}, 9), 1, 0, kBefore);
    Driver& driver = Driver::now();
    ASSERT_NE(done, VK_NULL_HANDLE) << kind.name;
    ASSERT_EQ(driver.submits.size(), 1u) << kind.name;
    EXPECT_EQ(driver.submits[0].commandBufferCount, 2u) << kind.name;
    EXPECT_EQ(driver.waited_for, (std::vector<VkSemaphore>{kGames[0], kGames[1]})) << kind.name;
    EXPECT_EQ(driver.memory[100 * 50 * 4 - 1], 9) << kind.name;
    EXPECT_EQ(driver.memory[100 * 50 * 4], 0) << kind.name;
    EXPECT_EQ(driver.fence_waits, 0) << kind.name << ": a frame waits for none but the image's own last one";
    EXPECT_EQ(draw(*overlay, pictures.shown({10, 20, 100, 50}, 8), 1), done) << kind.name;
    EXPECT_EQ(driver.fence_waits, 1) << kind.name;
    EXPECT_NE(draw(*overlay, pictures.shown({10, 20, 100, 50}, 8), 2), done) << kind.name;
    EXPECT_EQ(driver.memory[0], 8) << kind.name;
    overlay->destroy();
    EXPECT_TRUE(driver.alive.empty()) << kind.name;
  }
}

TEST(VulkanOverlay, DestroysOnlyItsOwnObjects) {
  for (const Kind& kind : kKinds) {
    const Device device = made_up_device(kind.does);
    const auto overlay = kind.make(target_of(device));
    Pictures pictures;
    for (const link::Slot outside : {link::Slot{640, 0, 10, 10}, {0, 360, 10, 10}, {-10, 0, 10, 10}, {0, -10, 10, 10}})
      EXPECT_EQ(draw(*overlay, pictures.shown(outside, 1)), VK_NULL_HANDLE) << kind.name << outside.x << outside.y;
    EXPECT_EQ(Driver::now().calls, 0) << kind.name << ": nothing is made for nothing";
    const link::Shown shown = pictures.shown({0, 0, 10, 10}, 1);
    EXPECT_EQ(draw(*overlay, shown, 0, 1), VK_NULL_HANDLE) << kind.name << ": a queue of another family";
    EXPECT_EQ(draw(*overlay, shown, 3), VK_NULL_HANDLE) << kind.name << ": an image that there isn't";
    EXPECT_NE(draw(*overlay, shown, 2), VK_NULL_HANDLE) << kind.name;
    overlay->destroy();
    EXPECT_TRUE(Driver::now().alive.empty()) << kind.name;
  }
}

/// The GPU still reads what would be written: a frame goes without the overlay, and nothing is freed under the GPU.
TEST(VulkanOverlay, WaitsForNoGpuThatHangs) {
  for (const Kind& kind : kKinds) {
    const Device device = made_up_device(kind.does);
    const auto overlay = kind.make(target_of(device));
    Pictures pictures;
    ASSERT_NE(draw(*overlay, pictures.shown({0, 0, 10, 10}, 1)), VK_NULL_HANDLE) << kind.name;
    Driver& driver = Driver::now();
    driver.hangs = true;
    EXPECT_EQ(draw(*overlay, pictures.shown({0, 0, 10, 10}, 2)), VK_NULL_HANDLE) << kind.name;
    driver.hangs = false;
    EXPECT_NE(draw(*overlay, pictures.shown({0, 0, 10, 10}, 2)), VK_NULL_HANDLE) << kind.name << ": it goes on";
    driver.hangs = true;
    const std::size_t alive = driver.alive.size();
    overlay->destroy();
    EXPECT_EQ(driver.alive.size(), alive) << kind.name;
  }
}

TEST(VulkanOverlay, GrowsWithoutAWaitForEverySize) {
  const Device device = made_up_device(VK_QUEUE_GRAPHICS_BIT);
  GraphicsOverlay overlay(target_of(device), 0);
  Driver& driver = Driver::now();
  driver.memory.resize(std::size_t{4} << 20);
  Pictures pictures;
  for (std::uint32_t side = 1; side <= 256; ++side)
    ASSERT_NE(draw(overlay, pictures.shown({0, 0, side, side}, 1)), VK_NULL_HANDLE) << side;
  EXPECT_EQ(driver.fence_waits, 255) << "for each frame its image's own last one";
  overlay.destroy();
}

TEST(VulkanOverlay, WritesColoursAsTheWindowTakesThem) {
  EXPECT_EQ(encoding_of(VK_FORMAT_B8G8R8A8_UNORM, VK_COLOR_SPACE_SRGB_NONLINEAR_KHR), Encoding::srgb);
  EXPECT_EQ(encoding_of(VK_FORMAT_B8G8R8A8_SRGB, VK_COLOR_SPACE_SRGB_NONLINEAR_KHR), Encoding::linear);
  EXPECT_EQ(encoding_of(VK_FORMAT_R16G16B16A16_SFLOAT, VK_COLOR_SPACE_EXTENDED_SRGB_LINEAR_EXT), Encoding::scrgb);
  EXPECT_EQ(encoding_of(VK_FORMAT_A2B10G10R10_UNORM_PACK32, VK_COLOR_SPACE_HDR10_ST2084_EXT), Encoding::pq);
}

/// Pictures come and go while each of the driver's calls fails in turn.
TEST(VulkanOverlay, SurvivesADriverThatFailsAtAnyCall) {
  for (const Kind& kind : kKinds) {
    int calls = 1;
    for (int fails_at = -1; fails_at < calls; ++fails_at) {
      const Device device = made_up_device(kind.does);
      Driver& driver = Driver::now();
      driver.fails_at = fails_at;
      const auto overlay = kind.make(target_of(device));
      Pictures pictures;
      int drawn = 0;
      for (const link::Slot slot : {link::Slot{0, 0, 100, 50}, {5, 5, 200, 80}, {0, 0, 20, 10}}) {
        for (std::uint32_t image = 0; image < 3; ++image)
          drawn += draw(*overlay, pictures.shown(slot, 1), image) == VK_NULL_HANDLE ? 0 : 1;
      }
      if (fails_at < 0) calls = driver.calls;
      EXPECT_EQ(drawn == 9, fails_at < 0) << kind.name << ": the call " << fails_at << " of " << calls;
      overlay->destroy();
      EXPECT_TRUE(driver.alive.empty()) << kind.name << ": the call " << fails_at << ", " << driver.alive.size();
    }
    EXPECT_GT(calls, 20) << kind.name;
  }
}

TEST(VulkanOverlay, BlendsThePartOfThePictureWithinTheImage) {
  const struct {
    link::Slot slot;
    VkOffset3D place;
    std::uint32_t width, height, groups;
  } cases[] = {{{10, 20, 100, 50}, {10, 20, 0}, 100, 50, 79},
               {{-30, -40, 100, 50}, {0, 0, 0}, 70, 10, 11},
               {{600, 350, 100, 50}, {600, 350, 0}, 40, 10, 7},
               {{-10, -10, 1000, 1000}, {0, 0, 0}, 640, 360, 3600}};
  for (const auto& c : cases) {
    const Device device = made_up_device(VK_QUEUE_COMPUTE_BIT);
    Driver& driver = Driver::now();
    driver.memory.resize(std::size_t{4} << 20);
    ComputeOverlay overlay(target_of(device), 0);
    Pictures pictures;
    EXPECT_NE(draw(overlay, pictures.shown(c.slot, 1)), VK_NULL_HANDLE) << c.slot.x;
    ASSERT_EQ(driver.copies.size(), 2u) << "out and back";
    for (const VkBufferImageCopy& copy : driver.copies) {
      EXPECT_EQ(copy.imageOffset.x, c.place.x) << c.slot.x;
      EXPECT_EQ(copy.imageOffset.y, c.place.y) << c.slot.x;
      EXPECT_EQ(copy.imageExtent.width, c.width) << c.slot.x;
      EXPECT_EQ(copy.imageExtent.height, c.height) << c.slot.x;
    }
    EXPECT_EQ(driver.groups, std::vector<std::uint32_t>{c.groups}) << c.slot.x;
    overlay.destroy();
  }
}

TEST(VulkanOverlay, KnowsItsShadersFormats) {
  for (VkFormat format : {VK_FORMAT_B8G8R8A8_UNORM, VK_FORMAT_B8G8R8A8_SRGB, VK_FORMAT_R8G8B8A8_UNORM})
    EXPECT_TRUE(ComputeOverlay::knows(format)) << format;
  EXPECT_FALSE(ComputeOverlay::knows(VK_FORMAT_A2B10G10R10_UNORM_PACK32));
  EXPECT_FALSE(ComputeOverlay::knows(VK_FORMAT_R16G16B16A16_SFLOAT));
}

// The clock.

/// A frame's first commands and its present.
struct Frame {
  VkCommandBuffer begin, end;
};

Frame play(VulkanGpuClock& clock) {
  const VkCommandBuffer begin = clock.begin(kQueue);
  EXPECT_EQ(clock.begin(kQueue), VK_NULL_HANDLE) << "only the first commands of a frame begin it";
  return {begin, clock.end()};
}

TEST(VulkanGpuClock, ReportsEachFrameInOrderOnceTheDriverDoes) {
  const Device device = made_up_device(VK_QUEUE_GRAPHICS_BIT);
  VulkanGpuClock clock(device, 0);
  Driver& driver = Driver::now();
  EXPECT_EQ(clock.take().work, kUnknownTime);
  for (int i = 0; i < 4; ++i) {
    const Frame frame = play(clock);
    EXPECT_NE(frame.begin, VK_NULL_HANDLE);
    EXPECT_NE(frame.end, VK_NULL_HANDLE);
  }
  EXPECT_EQ(clock.take().work, kUnknownTime);
  driver.timestamps = {{2, 5'000}, {3, 6'000}};
  EXPECT_EQ(clock.take().work, kUnknownTime) << "not before the frame before";
  driver.timestamps = {{0, 1'000}, {1, 1'500}, {2, 5'000}, {3, 6'000}, {4, 9'000}};
  EXPECT_EQ(clock.take().work, kMicrosecond) << "500 ticks of 2 ns";
  EXPECT_EQ(clock.take().work, 2 * kMicrosecond);
  EXPECT_EQ(clock.take().work, kUnknownTime) << "only its beginning is there";
  clock.destroy();
  EXPECT_TRUE(driver.alive.empty());
}

TEST(VulkanGpuClock, NeverMistakesAnOldTimeForANewOneAndNeverWaits) {
  const Device device = made_up_device(VK_QUEUE_GRAPHICS_BIT);
  VulkanGpuClock clock(device, 0);
  Driver& driver = Driver::now();
  for (std::uint32_t i = 0; i < 32; ++i) {
    EXPECT_NE(play(clock).begin, VK_NULL_HANDLE);
    driver.timestamps[2 * i] = 100 * i;
    driver.timestamps[2 * i + 1] = 100 * i + 10;
  }
  const Frame untimed = play(clock);
  EXPECT_EQ(untimed.begin, VK_NULL_HANDLE) << "all pairs are in use: this frame goes without";
  EXPECT_EQ(untimed.end, VK_NULL_HANDLE);
  for (int i = 0; i < 32; ++i) EXPECT_EQ(clock.take().work, Nanoseconds{20});
  EXPECT_NE(play(clock).begin, VK_NULL_HANDLE);
  EXPECT_EQ(clock.take().work, kUnknownTime) << "what is there is of the frame that had the pair before";
  driver.timestamps[0] = 9'000;
  driver.timestamps[1] = 9'050;
  EXPECT_EQ(clock.take().work, Nanoseconds{100});
  clock.destroy();
}

/// The driver's clocks are compared at tick 4,000 of 2 ns, a millisecond after the frame was begun on the processor.
TEST(VulkanGpuClock, ComparesItsClockWithTheMonotonicOne) {
  constexpr std::uint64_t kMask = (std::uint64_t{1} << 36) - 1;
  const struct {
    std::uint64_t ended;  ///< in ticks
    Nanoseconds latency;
  } kCases[] = {{4'000, kMillisecond},
                {5'000, kMillisecond + 2'000 * Nanoseconds{1}},
                {3'000, kMillisecond - 2'000 * Nanoseconds{1}},
                {(4'000 - 10'000) & kMask, kMillisecond - 20'000 * Nanoseconds{1}}};  // the clock has come round
  for (const auto& one : kCases) {
    Device device = made_up_device(VK_QUEUE_GRAPHICS_BIT, VK_PHYSICAL_DEVICE_TYPE_DISCRETE_GPU, 36);
    device.reads_clocks = true;
    VulkanGpuClock clock(device, 0);
    Driver& driver = Driver::now();
    const Moment begun = monotonic_now();
    driver.clocks = {4'000, begun + kMillisecond};
    clock.begin_on_processor(begun);
    (void)play(clock);
    driver.timestamps = {{0, (one.ended - 100) & kMask}, {1, one.ended}};
    EXPECT_EQ(clock.take().latency, one.latency) << one.ended;
    clock.destroy();
  }
}

TEST(ScreenClock, WaitsForPresentsWithoutHoldingUpFrames) {
  const Device device = made_up_device(VK_QUEUE_GRAPHICS_BIT);
  testing::on_screen = 0;
  ScreenClock clock(device, kSwapchain);
  const auto latency = [&] {
    Nanoseconds found = kUnknownTime;
    for (int i = 0; i < 5'000 && found == kUnknownTime; ++i) {
      std::this_thread::sleep_for(kMillisecond);
      found = clock.take();
    }
    return found;
  };
  EXPECT_EQ(clock.take(), kUnknownTime);
  clock.presented(1, monotonic_now() - 20 * kMillisecond);
  testing::on_screen = 1;
  EXPECT_GE(latency(), 20 * kMillisecond);
  EXPECT_EQ(clock.take(), kUnknownTime) << "each is told once";
  for (std::uint64_t number = 2; number < 100; ++number) clock.presented(number, monotonic_now());
  testing::on_screen = 100;
  EXPECT_GT(latency(), Nanoseconds{}) << "more than are waited for are left out";
  clock.presented(200, monotonic_now());  // never shown: its end doesn't wait for it
}

TEST(VulkanGpuClock, CountsTheBitsThatCount) {
  const Device device = made_up_device(VK_QUEUE_COMPUTE_BIT, VK_PHYSICAL_DEVICE_TYPE_INTEGRATED_GPU, 36);
  VulkanGpuClock clock(device, 0);
  (void)play(clock);
  Driver::now().timestamps = {{0, (std::uint64_t{1} << 36) - 10}, {1, 5}};
  EXPECT_EQ(clock.take().work, Nanoseconds{30}) << "the counter went round";
  clock.destroy();
}

TEST(VulkanGpuClock, IsMissingWithoutTimestamps) {
  const struct {
    const char* why;
    VkQueueFlags does;
    std::uint32_t bits, family;
  } cases[] = {{"no timestamps", VK_QUEUE_GRAPHICS_BIT, 0, 0},
               {"a queue that may not reset queries", VK_QUEUE_TRANSFER_BIT, 64, 0},
               {"an unknown family", VK_QUEUE_GRAPHICS_BIT, 64, 4}};
  for (const auto& c : cases) {
    const Device device = made_up_device(c.does, VK_PHYSICAL_DEVICE_TYPE_DISCRETE_GPU, c.bits);
    VulkanGpuClock clock(device, c.family);
    EXPECT_EQ(play(clock).begin, VK_NULL_HANDLE) << c.why;
    EXPECT_EQ(clock.take().work, kUnknownTime) << c.why;
    clock.destroy();
    EXPECT_EQ(Driver::now().calls, 0) << c.why << ": nothing is made for it";
  }
}

TEST(VulkanGpuClock, SurvivesADriverThatFailsAtAnyCall) {
  int calls = 1;
  for (int fails_at = -1; fails_at < calls; ++fails_at) {
    const Device device = made_up_device(VK_QUEUE_GRAPHICS_BIT);
    Driver& driver = Driver::now();
    driver.fails_at = fails_at;
    VulkanGpuClock clock(device, 0);
    const Frame first = play(clock), second = play(clock);
    EXPECT_EQ(first.begin == VK_NULL_HANDLE, fails_at >= 0) << fails_at;
    EXPECT_EQ(second.end == VK_NULL_HANDLE, fails_at >= 0) << fails_at << ": nor later";
    if (fails_at < 0) calls = driver.calls;
    clock.destroy();
    EXPECT_TRUE(driver.alive.empty()) << fails_at;
  }
}

/// How many of a thousand frames are timed with that setting in the environment.
int timed_frames(const char* choice, VkPhysicalDeviceType type) {
  ::setenv(link::kGpuTimeVariable, choice, 1);
  const Device device = made_up_device(VK_QUEUE_GRAPHICS_BIT, type);
  VulkanGpuClock clock(device, 0);
  ::unsetenv(link::kGpuTimeVariable);
  int timed = 0;
  for (int i = 0; i < 1'000; ++i) timed += play(clock).begin == VK_NULL_HANDLE ? 0 : 1;
  clock.destroy();
  return timed;
}

TEST(VulkanGpuClock, LeavesASoftwareRasteriserAloneUnlessAsked) {
  constexpr auto kSoftware = VK_PHYSICAL_DEVICE_TYPE_CPU, kCard = VK_PHYSICAL_DEVICE_TYPE_DISCRETE_GPU;
  EXPECT_EQ(timed_frames("auto", kSoftware), 0);
  EXPECT_EQ(timed_frames("off", kSoftware), 0);
  EXPECT_EQ(timed_frames("off", kCard), 0);
  EXPECT_GT(timed_frames("auto", kCard), 0);
  const int timed = timed_frames("on", kSoftware);
  EXPECT_GE(timed, 1);
  EXPECT_LT(timed, 100) << "a hundred would take ten seconds";
}

}  // namespace
}  // namespace idlemeter::probe
