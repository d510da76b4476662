// The GPU's clock in OpenGL, with a driver that reports what the test says.
#include <gtest/gtest.h>

#include <cstdint>
#include <map>

#include "gl/gpu_clock.hpp"
#include "idlemeter/base/time.hpp"

namespace idlemeter::probe {
namespace {

/// Ticks by query; those that are there are ready. The clock itself is so far behind the monotonic one.
std::map<GLuint, GLuint64> g_times;
Nanoseconds g_behind{};
int g_looks = 0;

Gl made_up_gl() {
  g_times.clear();
  g_looks = 0;
  Gl gl;
  gl.GenQueries = [](GLsizei count, GLuint* into) {
    for (GLsizei i = 0; i < count; ++i) into[i] = static_cast<GLuint>(i);
  };
  gl.QueryCounter = [](GLuint, GLenum) {};
  gl.Flush = [] {};
  gl.GetQueryiv = [](GLenum, GLenum, GLint* into) { *into = 64; };
  gl.GetQueryObjectuiv = [](GLuint query, GLenum, GLuint* into) { *into = g_times.contains(query) ? 1 : 0; };
  gl.GetQueryObjectui64v = [](GLuint query, GLenum, GLuint64* into) { *into = g_times[query]; };
  gl.GetInteger64v = [](GLenum, GLint64* into) {
    ++g_looks;
    *into = (monotonic_now().time_since_epoch() - g_behind).count();
  };
  return gl;
}

/// A frame whose GPU work takes so long, and ends so long from now, on the GPU's clock.
void set_times(std::uint32_t frame, Nanoseconds work, Nanoseconds from_now) {
  const Nanoseconds end = monotonic_now().time_since_epoch() - g_behind + from_now;
  g_times[2 * frame] = static_cast<GLuint64>((end - work).count());
  g_times[2 * frame + 1] = static_cast<GLuint64>(end.count());
}

TEST(GlGpuClock, ReportsWorkAndLatencyOfEarlierFramesOnceTheyAreThere) {
  g_behind = 1'234'567 * kMicrosecond;
  const Gl gl = made_up_gl();
  GlGpuClock clock;
  for (std::uint32_t frame = 0; frame < 3; ++frame) {
    clock.begin(gl);
    if (frame == 0) set_times(0, 4 * kMillisecond, 9 * kMillisecond);
    const link::GpuTimes times = clock.end(gl);
    if (frame < 2) {
      EXPECT_EQ(times.work, kUnknownTime) << "never waited for: it is read frames later";
      continue;
    }
    EXPECT_EQ(times.work, 4 * kMillisecond);
    EXPECT_GT(times.latency, 9 * kMillisecond - 100 * kMicrosecond) << "nine milliseconds after it was begun";
    EXPECT_LT(times.latency, kSecond);
  }
  clock.begin(gl);
  EXPECT_EQ(clock.end(gl).work, kUnknownTime) << "the second isn't ready";
  set_times(1, 2 * kMillisecond, kMillisecond);
  clock.begin(gl);
  EXPECT_EQ(clock.end(gl).work, 2 * kMillisecond);
  EXPECT_EQ(g_looks, 1) << "the clocks are compared once a second";
}

TEST(GlGpuClock, GoesWithoutWhatADriverLacks) {
  g_behind = {};
  Gl no_clock = made_up_gl();
  no_clock.GetInteger64v = nullptr;
  GlGpuClock clock;
  for (std::uint32_t frame = 0; frame < 3; ++frame) {
    clock.begin(no_clock);
    set_times(frame, kMillisecond, kMillisecond);
    const link::GpuTimes times = clock.end(no_clock);
    EXPECT_EQ(times.work, frame < 2 ? kUnknownTime : kMillisecond);
    EXPECT_EQ(times.latency, kUnknownTime);
  }
  Gl no_bits = made_up_gl();
  no_bits.GetQueryiv = [](GLenum, GLenum, GLint* into) { *into = 0; };
  GlGpuClock none;
  for (int i = 0; i < 4; ++i) {
    none.begin(no_bits);
    EXPECT_EQ(none.end(no_bits).work, kUnknownTime);
  }
}

}  // namespace
}  // namespace idlemeter::probe
