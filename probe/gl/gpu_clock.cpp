#include "gl/gpu_clock.hpp"

#include "idlemeter/base/time.hpp"
#include "link/regions.hpp"

namespace idlemeter::probe {

bool GlGpuClock::make(const Gl& gl) {
  if (failed_ || gl.QueryCounter == nullptr || gl.GenQueries == nullptr || gl.GetQueryObjectui64v == nullptr)
    return false;
  if (made_) return true;
  GLint bits = 0;
  if (gl.GetQueryiv != nullptr) gl.GetQueryiv(GL_TIMESTAMP, GL_QUERY_COUNTER_BITS, &bits);
  failed_ = bits == 0 || !link::times_gpu(gl.slow_clock);
  if (failed_) return false;
  gl.GenQueries(2 * kPairs, queries_);
  made_ = true;
  return true;
}

void GlGpuClock::begin(const Gl& gl) {
  if (!make(gl)) return;
  const Moment now = monotonic_now();
  if (gl.slow_clock && now < slow_due_) return;
  if (gl.slow_clock) slow_due_ = now + link::kSlowClockEvery;
  if (ended_ - read_ == kPairs - 1) ++read_;  // never in practice: the driver is dozens of frames late
  begun_at_[ended_ % kPairs] = now;
  gl.QueryCounter(queries_[2 * (ended_ % kPairs)], GL_TIMESTAMP);
  if (gl.slow_clock) gl.Flush();
  begun_ = true;
}

/// Reads the GPU's clock between two readings of ours.
void GlGpuClock::calibrate(const Gl& gl, Moment now) {
  if (gl.GetInteger64v == nullptr || (calibrated_ != Moment{} && now - calibrated_ < kSecond)) return;
  GLint64 ticks = 0;
  const Moment before = monotonic_now();
  gl.GetInteger64v(GL_TIMESTAMP, &ticks);
  const Moment after = monotonic_now();
  calibrated_ = after;
  ahead_ = before.time_since_epoch() + (after - before) / 2 - Nanoseconds(ticks);
}

link::GpuTimes GlGpuClock::end(const Gl& gl) {
  if (!begun_) return {};
  begun_ = false;
  gl.QueryCounter(queries_[2 * (ended_ % kPairs) + 1], GL_TIMESTAMP);
  ++ended_;
  if (ended_ - read_ < 3) return {};
  const GLuint* pair = queries_ + 2 * (read_ % kPairs);
  const Moment begun_at = begun_at_[read_ % kPairs];
  GLuint ready = 0;
  gl.GetQueryObjectuiv(pair[1], GL_QUERY_RESULT_AVAILABLE, &ready);
  if (ready == 0) return {};
  ++read_;
  GLuint64 first = 0, last = 0;
  gl.GetQueryObjectui64v(pair[0], GL_QUERY_RESULT, &first);
  gl.GetQueryObjectui64v(pair[1], GL_QUERY_RESULT, &last);
  if (last <= first) return {};
  calibrate(gl, begun_at);
  const Nanoseconds latency = Nanoseconds(last) + ahead_ - begun_at.time_since_epoch();
  return {Nanoseconds(last - first), calibrated_ == Moment{} ? kUnknownTime : latency};
}

}  // namespace idlemeter::probe
