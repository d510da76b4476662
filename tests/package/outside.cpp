#include <cstdio>
#include <idlemeter/draw/painter.hpp>
#include <idlemeter/frames/frame_summary.hpp>
#include <idlemeter/runs/store.hpp>
#include <vector>

int main() {
  const std::vector<idlemeter::Nanoseconds> intervals(100, 10 * idlemeter::kMillisecond);
  idlemeter::Painter painter;
  const bool measured = painter.measure("100", {}).width > 0;
  std::printf("%.1f FPS\n", *idlemeter::summarize(intervals).average_rate);
  return measured && idlemeter::Store::usual_path().filename() == "runs.db" ? 0 : 1;
}
