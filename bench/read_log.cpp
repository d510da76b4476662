// usage: read_log FILE: reads a frame log, for bench/import_against_pandas. Prints the frames, the seconds, and by how
// many MiB the memory grew beyond the frames themselves. usage: read_log --make FILE FRAMES: makes one of 20 columns.
#include <fmt/format.h>

#include <chrono>
#include <cstdlib>
#include <cstring>
#include <fstream>
#include <random>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/runs/frame_log.hpp"

namespace {

double peak_mebibytes() {
  std::ifstream status("/proc/self/status");  // getrusage() would count what was there before exec
  for (std::string line; std::getline(status, line);) {
    if (line.starts_with("VmHWM:")) return std::atof(line.c_str() + 6) / 1024;
  }
  return 0;
}

int make(const char* file, long frames) {
  std::ofstream out(file, std::ios::binary);
  out << "game,frame,time (s),frame time (ms),GPU work (ms),CPU work (ms),latency (ms),GPU load (%),GPU clock (MHz),"
         "GPU power (W),GPU temperature (C),mode,CPU load (%),CPU clock (MHz),CPU temperature (C),RAM (MiB),VRAM "
         "(MiB),fan (rpm),"
         "queue,dropped\n";
  std::mt19937_64 random(7);
  std::normal_distribution<double> noise;
  double at = 0;
  std::string text;
  for (long i = 0; i < frames; ++i) {
    const double ms = 8 + std::abs(noise(random));
    at += ms / 1e3;
    fmt::format_to(std::back_inserter(text),
                   "Tidepool Rally,{},{:.6f},{:.4f},{:.4f},{:.4f},{:.4f},{:.1f},{:.0f},{:.2f},{:.1f},exclusive,"
                   "{:.1f},{:.0f},{:.1f},{:.0f},{:.0f},{:.0f},{},0\n",
                   i, at, ms, ms * 0.9, ms * 0.5, ms * 2.2, 97 + noise(random), 2450 + 10 * noise(random),
                   210 + noise(random), 70 + noise(random), 40 + noise(random), 5100 + noise(random),
                   60 + noise(random), 9000 + noise(random), 7000 + noise(random), 1400 + noise(random), i % 3);
    if (text.size() > 1'000'000) {
      out << text;
      text.clear();
    }
  }
  out << text;
  return out.good() ? 0 : 1;
}

}  // namespace

int main(int argc, char** argv) {
  using namespace idlemeter;
  if (argc == 4 && std::strcmp(argv[1], "--make") == 0) return make(argv[2], std::atol(argv[3]));
  if (argc != 2) return 2;
  const double before = peak_mebibytes();
  const Moment begin = monotonic_now();
  const FrameLog log = load_frame_log(argv[1]);
  const double seconds = in_seconds(monotonic_now() - begin);
  const auto& frames = log.runs.front().frames;
  const double theirs = static_cast<double>(frames.size() * sizeof(FrameRecord)) / (1024 * 1024);
  fmt::print("{} {} {:.0f}\n", frames.size(), seconds, peak_mebibytes() - before - theirs);
}
