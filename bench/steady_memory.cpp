// How much memory a process holds while a face is laid out and drawn over and over with changing values: after a tenth
// of the redraws, and after all of them.
#include <unistd.h>

#include <cstdio>
#include <cstdlib>
#include <fstream>

#include "idlemeter/base/time.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/draw/painter.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/face/lay_out.hpp"
#include "idlemeter/face/starters.hpp"
#include "idlemeter/readings/frame_readings.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace {

using namespace idlemeter;

/// Resident set, KiB.
long resident() {
  std::ifstream statm("/proc/self/statm");
  long size = 0, pages = 0;
  statm >> size >> pages;
  return pages * (sysconf(_SC_PAGESIZE) / 1024);
}

}  // namespace

int main(int argc, char** argv) {
  const long redraws = argc > 1 ? std::atol(argv[1]) : 100'000;
  const Face face = *parse_face(find_starter("benchmark")->toml).face;
  FrameReadings frames(readings_of(face));
  frames.begin_recording(Moment{});
  History history;
  Painter painter;
  Image image(1280, 720);
  Moment now{};
  long early = 0;
  for (long i = 1; i <= redraws; ++i) {
    const Nanoseconds interval = (8 + i % 7) * kMillisecond + Nanoseconds{i % 1'000 * 997};
    if (i % 1'000 == 0) frames.begin_recording(now);  // a span that grows holds its frames, 16 bytes each
    frames.add({now += interval, interval, interval / 2});
    history.add("frame.time", now, in_milliseconds(interval));
    std::fill(image.pixels.begin(), image.pixels.begin() + 1280L * 400, 0);
    painter.draw(lay_out(face, image.width, image.height, Snapshot(now, {frames.batch(now)}), history, painter), image);
    if (i == redraws / 10) early = resident();
  }
  const long late = resident();
  std::printf("%ld redraws: %ld KiB after a tenth of them, %ld KiB after all (%+ld)\n", redraws, early, late,
              late - early);
}
