// What probe and meter share: two memory regions, each written by one side alone. Fixed-width fields, no pointers;
// either side takes what the other wrote for untrusted.
#pragma once

#include <atomic>
#include <cstddef>
#include <cstdint>

#include "idlemeter/base/time.hpp"

namespace idlemeter::link {

inline constexpr std::uint32_t kVersion = 2;
inline constexpr std::uint32_t kRingMagic = 0x676e6972, kPictureMagic = 0x74636970;  // "ring", "pict"
inline constexpr const char* kVariable = "IDLEMETER_LINK";  // the environment's name for the meter's socket

/// One present.
struct FrameEntry {
  Moment present{};
  Nanoseconds gpu_work = kUnknownTime;  ///< of an earlier frame, as it became known
  Nanoseconds latency =
      kUnknownTime;  ///< of that frame: from the start of its work on the processor to the end of the GPU's
  Nanoseconds on_screen = kUnknownTime;  ///< of an earlier frame: from the same start to its picture on the screen
  std::uint32_t drawable = 0;            ///< tells windows and swapchains of one process apart
  std::uint32_t width = 0, height = 0;
  std::uint32_t after_pause = 0;  ///< other than 0: nothing is known of the time since the present before
};

inline constexpr std::uint32_t kRingCapacity = 1u << 16;  // a minute at 1,000 frames a second

inline constexpr std::size_t kDriverBytes = 128;

enum class Api : std::uint32_t { unknown, opengl, opengl_es, vulkan };

/// The probe's.
struct Ring {
  std::uint32_t magic = kRingMagic, version = kVersion;
  std::uint32_t capacity = kRingCapacity, entry_size = sizeof(FrameEntry);
  Api api = Api::unknown;
  std::uint32_t api_major = 0, api_minor = 0;
  char driver[kDriverBytes] = {};                  ///< its name and version; ends with a zero
  std::atomic<std::uint32_t> closed;               ///< not 0 once the process exits normally
  alignas(64) std::atomic<std::uint32_t> written;  ///< how many entries ever, modulo 2^32
  alignas(64) FrameEntry entries[kRingCapacity];
};

inline constexpr Nanoseconds kSlowClockEvery = kSecond / 10;  // if reading the GPU's clock stops the rasteriser

/// A picture's place in the window, from its top left corner, in pixels.
struct Slot {
  std::int32_t x = 0, y = 0;
  std::uint32_t width = 0, height = 0;
};

inline constexpr std::size_t kSlotBytes = std::size_t{16} << 20;  // four million pixels; untouched pages cost nothing
inline constexpr std::size_t kPixelsAt = 4096;                    // of the first slot; the second follows
inline constexpr Nanoseconds kStale = kSecond;                    // a meter that gave no sign for so long shows nothing

/// The meter's. Pixels are four bytes, red, green, blue, alpha, colours multiplied by alpha, row by row from the top.
struct Picture {
  std::uint32_t magic = kPictureMagic, version = kVersion;
  alignas(64) std::atomic<std::uint32_t> sequence;  ///< of the newest picture, in slot `sequence % 2`; 0: none yet
  std::atomic<std::uint32_t> visible;
  std::atomic<Moment> heartbeat;
  Slot slots[2];
};

inline constexpr std::size_t kPictureBytes = kPixelsAt + 2 * kSlotBytes;

// A 32-bit game shares them with a 64-bit meter.
static_assert(sizeof(FrameEntry) == 48 && offsetof(FrameEntry, drawable) == 32);
static_assert(offsetof(Ring, driver) == 28 && offsetof(Ring, written) == 192 && offsetof(Ring, entries) == 256);
static_assert(offsetof(Picture, sequence) == 64 && offsetof(Picture, heartbeat) == 72 &&
              offsetof(Picture, slots) == 80 && sizeof(Picture) <= kPixelsAt);
static_assert(std::atomic<std::uint32_t>::is_always_lock_free && std::atomic<Moment>::is_always_lock_free);

/// Each side's first and only message, with its region as a sealed memfd.
struct Greeting {
  std::uint32_t magic = 0, version = kVersion;
};

}  // namespace idlemeter::link
