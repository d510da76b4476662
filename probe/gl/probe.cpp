#include "gl/probe.hpp"

#include <pthread.h>

#include "fork_lock.hpp"

namespace idlemeter::probe {

Probe& Probe::one() {
  static Probe* const probe = [] {
    static bool is_locked = false;
    ::pthread_atfork([] { is_locked = lock_for_fork(one().mutex_); },
                     [] {
                       if (is_locked) one().mutex_.unlock();
                     },
                     [] {
                       one().end_.forget();
                       unlock_in_child(one().mutex_);
                     });
    return new Probe;
  }();
  return *probe;
}

/// Runs at a normal exit.
__attribute__((destructor)) static void close_link() { Probe::one().close(); }

void Probe::close() { end_.close(); }

/// nullptr if there is none that the probe can draw in.
Probe::Context* Probe::context_of(const Swap& swap) {
  if (swap.context == nullptr) return nullptr;
  const auto [context, is_new] = contexts_.try_emplace(swap.context);
  if (is_new) context->second.usable = context->second.gl.load(swap.find);
  return context->second.usable ? &context->second : nullptr;
}

bool Probe::present(Context* context, std::uintptr_t drawable, Moment now) {
  link::FrameEntry frame;
  frame.present = now;
  frame.drawable = static_cast<std::uint32_t>(drawable ^ static_cast<std::uint64_t>(drawable) >> 32);
  if (context == nullptr) {
    end_.add(frame, {link::Api::opengl, 0, 0, ""});
    return false;
  }
  const link::GpuTimes times = context->clock.end(context->gl);
  frame.gpu_work = times.work;
  frame.latency = times.latency;
  frame.width = static_cast<std::uint32_t>(context->width);
  frame.height = static_cast<std::uint32_t>(context->height);
  end_.add(frame, context->gl.graphics());
  const link::Shown shown = end_.picture();
  const bool was_covered = context->covered;
  context->covered = shown.pixels != nullptr;
  if (context->covered) context->blend.draw(context->gl, end_, shown, context->width, context->height);
  return context->covered || was_covered;
}

void Probe::after_swap(void* handle) {
  const std::lock_guard<std::mutex> lock(mutex_);
  const auto context = contexts_.find(handle);
  if (context != contexts_.end() && context->second.usable && end_.linked())
    context->second.clock.begin(context->second.gl);
}

void Probe::forget(void* handle) {
  const std::lock_guard<std::mutex> lock(mutex_);
  contexts_.erase(handle);
}

}  // namespace idlemeter::probe
