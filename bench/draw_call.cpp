// What one frame costs a game's thread, in its own context: stamping, and drawing the overlay while it stays and while
// it changes. Needs a display: xvfb-run build/dev/bench/draw_call
#include <SDL2/SDL.h>
#include <sys/socket.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <new>
#include <vector>

#include "base/private_socket.hpp"
#include "gl/blend.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/game/game_link.hpp"
#include "link/meter_end.hpp"
#include "link/probe_end.hpp"

namespace {

long allocations = 0;

}  // namespace

void* operator new(std::size_t size) {
  ++allocations;
  if (void* memory = std::malloc(size)) return memory;
  throw std::bad_alloc();
}
void operator delete(void* memory) noexcept { std::free(memory); }
void operator delete(void* memory, std::size_t) noexcept { std::free(memory); }

namespace {

using namespace idlemeter;
using Clock = std::chrono::steady_clock;

struct Ends {
  link::ProbeEnd probe;
  link::MeterEnd meter{-1};
};

link::FrameEntry frame_now() {
  link::FrameEntry frame;
  frame.present = monotonic_now();
  frame.width = 1280;
  frame.height = 720;
  return frame;
}

/// The meter's end, after a probe has presented twice.
template <typename Present>
link::MeterEnd greet(const std::filesystem::path& path, Present present) {
  const int listening = idlemeter::base::listen_privately(path);
  ::setenv(link::kVariable, path.c_str(), 1);
  present();
  link::MeterEnd meter(::accept4(listening, nullptr, nullptr, SOCK_NONBLOCK | SOCK_CLOEXEC));
  (void)meter.receive();
  ::usleep(30'000);
  present();
  ::close(listening);
  return meter;
}

void publish(Ends& ends, unsigned char shade) {
  constexpr link::Slot kSlot{20, 20, 460, 200};
  std::fill_n(ends.meter.begin_picture(), 4 * kSlot.width * kSlot.height, shade);
  ends.meter.publish(kSlot);
  ends.meter.show(true);
}

void report(const char* what, std::vector<double>& times, long allocated) {
  std::sort(times.begin(), times.end());
  std::printf("%-28s median %6.2f us, 99th percentile %6.2f us, %ld allocations in %zu frames\n", what,
              times[times.size() / 2], times[times.size() * 99 / 100], allocated, times.size());
}

/// Microseconds that this thread was at work: not those in which the rasteriser's threads had the processor.
double thread_time() {
  timespec time{};
  ::clock_gettime(CLOCK_THREAD_CPUTIME_ID, &time);
  return static_cast<double>(time.tv_sec) * 1e6 + static_cast<double>(time.tv_nsec) / 1e3;
}

/// A new picture every so many frames (0: never). The game has drawn first, because a frame's first call pays for the
/// whole frame.
void draw(Ends& ends, SDL_Window* window, const probe::Gl& gl, probe::Blend& game, probe::Blend& blend,
          const char* what, int frames, int every) {
  std::vector<double> times(static_cast<std::size_t>(frames));
  long allocated = 0;
  for (int i = 0; i < frames; ++i) {
    if (every > 0 && i % every == 0) publish(ends, static_cast<unsigned char>(i));
    ends.meter.beat(monotonic_now());
    const link::Shown scene = ends.probe.picture();
    if (scene.pixels != nullptr) game.draw(gl, ends.probe, scene, 1280, 720);
    const long before = allocations;
    const double start = thread_time();
    ends.probe.add(frame_now(), {link::Api::opengl, 4, 5});
    const link::Shown shown = ends.probe.picture();
    if (shown.pixels != nullptr) blend.draw(gl, ends.probe, shown, 1280, 720);
    times[static_cast<std::size_t>(i)] = thread_time() - start;
    allocated += allocations - before;
    SDL_GL_SwapWindow(window);
  }
  report(what, times, allocated);
}

void stamp(Ends& ends, int frames) {
  std::vector<double> times(static_cast<std::size_t>(frames));
  const long before = allocations;
  for (double& time : times) {
    const auto start = Clock::now();
    ends.probe.add(frame_now(), {link::Api::opengl, 4, 5});
    time = std::chrono::duration<double, std::micro>(Clock::now() - start).count();
  }
  report("stamping", times, allocations - before);
}

/// A game of well over a thousand frames a second. Blocks of frames alternate between with and without the link, so
/// that whatever else the machine does affects both. The link is a probe's, with the GPU's clock and the overlay
/// hidden.
void compare_stamping(SDL_Window* window, const std::filesystem::path& folder, int blocks) {
  constexpr int kFrames = 64;
  GameLink game(&SDL_GL_GetProcAddress);
  link::MeterEnd meter = greet(folder / "session/game.link", [&] { game.before_swap(960, 540); });
  const auto clear = reinterpret_cast<decltype(&glClear)>(SDL_GL_GetProcAddress("glClear"));
  const auto block = [&](bool stamped) {
    meter.beat(monotonic_now());
    const auto start = Clock::now();
    for (int i = 0; i < kFrames; ++i) {
      clear(GL_COLOR_BUFFER_BIT);
      if (stamped) game.before_swap(960, 540);
      SDL_GL_SwapWindow(window);
      if (stamped) game.after_swap();
    }
    return std::chrono::duration<double>(Clock::now() - start).count();
  };
  std::vector<double> ratios, rates;
  for (int i = 0; i < blocks; ++i) {
    const bool first = i % 2 == 0;
    const double a = block(first), b = block(!first);
    ratios.push_back(first ? a / b : b / a);
    rates.push_back(kFrames / (first ? b : a));
  }
  std::sort(ratios.begin(), ratios.end());
  std::sort(rates.begin(), rates.end());
  const auto at = [](const std::vector<double>& sorted, std::size_t percent) {
    return sorted[sorted.size() * percent / 100];
  };
  std::printf("%-28s frame time %.4f of that without (quartiles %.3f to %.3f), at %.0f frames a second\n",
              "stamping in a game", at(ratios, 50), at(ratios, 25), at(ratios, 75), at(rates, 50));
}

}  // namespace

int main(int argc, char** argv) {
  const int frames = argc > 1 ? std::atoi(argv[1]) : 2'000;
  char name[] = "/tmp/idlemeter-bench-XXXXXX";
  if (::mkdtemp(name) == nullptr || SDL_Init(SDL_INIT_VIDEO) != 0) return 1;
  SDL_Window* window = SDL_CreateWindow("draw_call", 0, 0, 1280, 720, SDL_WINDOW_OPENGL);
  const SDL_GLContext context = window == nullptr ? nullptr : SDL_GL_CreateContext(window);
  if (context == nullptr) return std::fprintf(stderr, "draw_call: %s\n", SDL_GetError()), 1;
  try {
    SDL_GL_SetSwapInterval(0);
    probe::Gl gl;
    if (!gl.load(&SDL_GL_GetProcAddress)) return 1;
    probe::Blend game, blend;
    Ends ends;
    ends.meter = greet(std::filesystem::path(name) / "session/bench.link", [&] {
      ends.probe.add(frame_now(), {link::Api::opengl, 4, 5});
    });
    stamp(ends, 100 * frames);
    publish(ends, 9);
    draw(ends, window, gl, game, blend, "warming up", 60, 6);
    draw(ends, window, gl, game, blend, "stamping and the overlay", frames, 0);
    draw(ends, window, gl, game, blend, "the same, changing 1 in 6", frames, 6);
    SDL_SetWindowSize(window, 960, 540);
    SDL_PumpEvents();
    compare_stamping(window, name, frames / 2);
  } catch (const Error& error) {
    std::fprintf(stderr, "draw_call: %s\n", error.what());
  }
  std::filesystem::remove_all(name);
  SDL_Quit();
}
