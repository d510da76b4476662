// A day of frames at 144 FPS through the live statistics: what they hold, and what a question costs at its end.
//
// usage: frame_day [HOURS]
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <random>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/frame_readings.hpp"

using namespace idlemeter;

namespace {

double microseconds(int times, const auto& call) {
  const auto begin = std::chrono::steady_clock::now();
  for (int i = 0; i < times; ++i) call();
  return std::chrono::duration<double, std::micro>(std::chrono::steady_clock::now() - begin).count() / times;
}

}  // namespace

int main(int argc, char** argv) {
  const double hours = argc > 1 ? std::atof(argv[1]) : 24;
  FrameReadings readings({"frame.low@1%@cleared", "frame.low@0.1%@percentile@cleared", "frame.average@60s"});
  std::mt19937_64 random(1);
  std::lognormal_distribution<double> wobble(0, 0.15);
  const auto frames = static_cast<std::int64_t>(hours * 3600 * 144);
  Moment now{};
  const auto begin = std::chrono::steady_clock::now();
  for (std::int64_t i = 0; i < frames; ++i) {
    const Nanoseconds interval(static_cast<std::int64_t>(wobble(random) * 1e9 / 144));
    readings.add({now += interval, interval});
    // As a session of a day goes: cleared now and then, recorded for a minute every hour.
    if (i % (144 * 60 * 95) == 144 * 60) readings.clear();
    if (i % (144 * 3600) == 144 * 100) readings.begin_recording(now);
    if (i % (144 * 3600) == 144 * 160) readings.end_recording(now);
  }
  const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
  std::printf("%lld frames in %.1f h: %.2f bytes a frame, %.0f ns to add one\n", static_cast<long long>(frames), hours,
              static_cast<double>(readings.memory()) / static_cast<double>(frames),
              1e9 * seconds / static_cast<double>(frames));
  std::printf("all readings of frames at its end: %.0f us; the whole day's figures: %.0f us\n",
              microseconds(50, [&] { (void)readings.batch(now); }), microseconds(50, [&] { (void)readings.whole(); }));
  const double pause = microseconds(1, [&] { readings.clear(); });
  std::printf("clearing: %.1f ms\n", pause / 1e3);
}
