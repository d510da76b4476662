// What the probe knows of a game's windows and contexts.
#pragma once

#include <cstdint>
#include <map>
#include <mutex>

#include "gl/blend.hpp"
#include "gl/gpu_clock.hpp"
#include "idlemeter/base/time.hpp"
#include "link/probe_end.hpp"

namespace idlemeter::probe {

/// The window and the context of a swap; no context if none is current on that window.
struct Swap {
  void* context = nullptr;
  std::uintptr_t drawable = 0;
  Find find = nullptr;
};

/// One for a process; any thread.
class Probe {
 public:
  /// Never destroyed: a game may present while the process ends.
  static Probe& one();

  /// Before a swap; `measure(width, height)` gives the window's size in pixels, and is called now and then. True if the
  /// overlay is presented, or was the last time.
  template <typename Measure>
  bool before_swap(const Swap& swap, Measure measure) {
    const std::lock_guard<std::mutex> lock(mutex_);
    const Moment now = monotonic_now();
    Context* context = context_of(swap);
    if (context != nullptr && (context->drawable != swap.drawable || now - context->measured > kMeasureEvery)) {
      context->drawable = swap.drawable;
      context->measured = now;
      measure(context->width, context->height);
    }
    return present(context, swap.drawable, now);
  }

  /// After it: the next frame's work begins.
  void after_swap(void* context);

  /// The process is exiting normally.
  void close();

  /// A new context may have an old one's address.
  void forget(void* context);

 private:
  static constexpr Nanoseconds kMeasureEvery = 200 * kMillisecond;  // a question to the display server

  struct Context {
    bool usable = false, covered = false;
    Gl gl;
    Blend blend;
    GlGpuClock clock;
    int width = 0, height = 0;
    Moment measured{};
    std::uintptr_t drawable = 0;
  };

  Context* context_of(const Swap& swap);
  bool present(Context* context, std::uintptr_t drawable, Moment now);

  std::mutex mutex_;
  std::map<void*, Context> contexts_;
  link::ProbeEnd end_;
};

}  // namespace idlemeter::probe
