// A recorded run in five lines. usage: summarize_run STORE RUN
#include <cstdio>
#include <cstdlib>

#include "idlemeter/base/error.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/runs/store.hpp"

int main(int argc, char** argv) {
  if (argc != 3) {
    std::fputs("usage: summarize_run STORE RUN\n", stderr);
    return 2;
  }
  try {
    const idlemeter::Store store(argv[1], idlemeter::Store::Mode::existing);
    const idlemeter::Summary run = idlemeter::summarize(store.intervals(std::atoll(argv[2])));
    if (!run.average_rate) throw idlemeter::Error(idlemeter::Error::Code::invalid, "the run has no frames");
    std::printf("%.1f FPS, 1%% low %.1f FPS\n", *run.average_rate, run.low(idlemeter::Share::percent(1))->rate);
  } catch (const idlemeter::Error& error) {
    std::fprintf(stderr, "%s\n", error.what());
    return 1;
  }
}
