// usage: judge_log FILE.csv [FRAME-TIME-COLUMN]: what a frame log from elsewhere says, and how sure that is. Nothing is
// stored; 'idlemeter runs import' does that.
#include <cstdio>
#include <exception>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/frames/stutter.hpp"
#include "idlemeter/insight/interval.hpp"
#include "idlemeter/runs/frame_log.hpp"

namespace {

using namespace idlemeter;

/// "1% low 47.4 FPS (45.1 to 49.8)"
void print_rate(const char* name, double frame_time, const IntervalResult& sure) {
  std::printf("%s %.1f FPS", name, 1e9 / frame_time);
  if (sure.interval) std::printf(" (%.1f to %.1f)\n", 1e9 / sure.interval->high, 1e9 / sure.interval->low);
  if (!sure.interval) std::printf(" (no interval: %s)\n", sure.reason.c_str());
}

void judge(const LoggedFrames& run) {
  const auto intervals = intervals_in(run.frames);
  const Share one_percent = Share::percent(1);
  const Summary summary = summarize(intervals, {{one_percent}, {LowDefinition::mean_of_slowest}, {}});
  print_rate("average", 1e9 / *summary.average_rate, interval_of(intervals, {.kind = Figure::Kind::average}));
  print_rate("1% low", summary.low(one_percent)->frame_time,
             interval_of(intervals, {.kind = Figure::Kind::low, .share = one_percent}));
  const Stutters stutters = find_stutters(run.frames);
  std::printf("%zu stutters, %.2f s lost\n", stutters.frames.size(), in_seconds(stutters.lost));
}

}  // namespace

int main(int argc, char** argv) {
  if (argc < 2 || argc > 3) {
    std::fputs("usage: judge_log FILE.csv [FRAME-TIME-COLUMN]\n", stderr);
    return 2;
  }
  try {
    FrameLogFormat format;
    if (argc == 3) format.frame_time.name = argv[2];
    const FrameLog log = load_frame_log(argv[1], format);
    for (const std::string& note : log.notes) std::printf("%s\n", note.c_str());
    if (log.broken > 0) std::printf("%llu lines are not frames\n", static_cast<unsigned long long>(log.broken));
    for (const LoggedFrames& run : log.runs) judge(run);
    return 0;
  } catch (const std::exception& error) {
    std::fprintf(stderr, "judge_log: %s\n", error.what());
    return 1;
  }
}
