// An engine's main loop that stamps its frames and prints the summary at the end.
#include <cstdio>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_summary.hpp"

namespace {

/// What your engine does in a frame.
void update_and_render(int frame) {
  volatile double work = 0;
  const int steps = frame % 50 == 49 ? 200'000 : 20'000;  // every fiftieth frame is heavy
  for (int i = 0; i < steps; ++i) work = work + i * 0.5;
}

}  // namespace

int main() {
  using namespace idlemeter;
  std::vector<Nanoseconds> intervals;
  Moment last_present = monotonic_now();
  for (int frame = 0; frame < 1000; ++frame) {
    update_and_render(frame);
    const Moment present = monotonic_now();  // right after your swap call
    intervals.push_back(present - last_present);
    last_present = present;
  }

  const Summary summary = summarize(intervals);
  std::printf("%llu frames, average %.1f FPS, median %.3f ms\n", static_cast<unsigned long long>(summary.frames),
              *summary.average_rate, *summary.median / 1e6);
  for (const Low& low : summary.lows) {
    std::printf("%s low (%s): %.1f FPS\n", to_string(low.share).c_str(), std::string(name_of(low.definition)).c_str(),
                low.rate);
  }
  return 0;
}
