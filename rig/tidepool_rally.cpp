#include "tidepool_rally.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <stdexcept>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/face/scene.hpp"
#include "idlemeter/frames/frame_record.hpp"

namespace idlemeter::rig {
namespace {

/// Milliseconds of work a frame at full clocks with the preset "High".
struct Scene {
  std::string_view name;
  double seconds;
  double cpu_ms;
  double gpu_ms;
};

constexpr std::array kScenes = {
    Scene{"Harbour", 14, 6.8, 6.4},      Scene{"Reef", 16, 5.2, 8.6},  Scene{"Sea tunnel", 8, 4.4, 5.1},
    Scene{"Storm coast", 18, 6.1, 10.2}, Scene{"Finish", 4, 7.4, 7.0},
};

struct Preset {
  std::string_view name;
  double processor;
  double graphics;
};

constexpr std::array kPresets = {Preset{"Low", 0.8, 0.45}, Preset{"Medium", 0.92, 0.72}, Preset{"High", 1, 1},
                                 Preset{"Ultra", 1.08, 1.38}};

constexpr double kFullGraphicsClock = 2450, kFullProcessorClock = 5000;

std::size_t scene_at(Moment time) {
  double lap = 0;
  for (const Scene& scene : kScenes) lap += scene.seconds;
  double at = std::fmod(in_seconds(time.time_since_epoch()), lap);
  std::size_t i = 0;
  while (at >= kScenes[i].seconds) at -= kScenes[i++].seconds;
  return i;
}

}  // namespace

TidepoolRally::TidepoolRally(Machine& machine, const GameSettings& settings)
    : machine_(machine), settings_(settings), random_(settings.seed * 7919 + 17) {
  const auto preset =
      std::find_if(kPresets.begin(), kPresets.end(), [&](const Preset& p) { return p.name == settings.preset; });
  if (preset == kPresets.end())
    throw Error(Error::Code::misuse, "Tidepool Rally has no preset '" + settings.preset + "'");
  processor_work_ = preset->processor;
  graphics_work_ = preset->graphics;
}

GameSettings long_session() {
  return {.rate_limit = 105, .stays = true, .cooler_stops = 12 * 60, .memory_fills = 16 * 60};
}

std::size_t TidepoolRally::scene_now() const {
  constexpr std::size_t kReef = 1;
  return settings_.stays ? kReef : scene_at(now_);
}

bool TidepoolRally::has_begun(double seconds) const { return in_seconds(now_.time_since_epoch()) >= seconds; }

std::string_view TidepoolRally::scene() const { return kScenes[scene_now()].name; }

/// Milliseconds that a frame takes longer: a new scene is read from the disk; now and then something is compiled.
double TidepoolRally::hitch(double frame_ms) {
  const std::size_t scene = scene_now();
  const bool new_scene = scene != last_scene_;
  last_scene_ = scene;
  std::uniform_real_distribution<double> any(0, 1);
  if (new_scene) return 34 + 30 * any(random_);
  const double often = has_begun(settings_.memory_fills) ? 0.02 : 0.0008;
  return any(random_) < often ? frame_ms * (1.2 + 2 * any(random_)) : 0;
}

FrameRecord TidepoolRally::next_frame() {
  const Scene& scene = kScenes[scene_now()];
  if (has_begun(settings_.cooler_stops)) machine_.stop_cooler();
  std::normal_distribution<double> noise(0, 1);
  wave_ += 0.02 * noise(random_) - 0.01 * wave_;
  const State& state = machine_.state();
  const double jitter = 0.025 * noise(random_);
  const double cpu_ms =
      scene.cpu_ms * processor_work_ * kFullProcessorClock / state.cpu_clock * std::max(0.5, 1 + 0.5 * wave_ + jitter);
  const double speed = machine_.spec().speed * std::max(0.3, state.gpu_clock / kFullGraphicsClock);
  const double drawn = settings_.upscaler ? 0.5 : 1;
  const double swapped = has_begun(settings_.memory_fills) ? 1.35 : 1;
  const double gpu_ms =
      swapped * scene.gpu_ms * graphics_work_ * drawn / speed * std::max(0.5, 1 + 0.4 * wave_ + 0.02 * noise(random_));
  double frame_ms = std::max(cpu_ms, gpu_ms) + 0.12 + 0.04 * std::abs(noise(random_));
  if (settings_.rate_limit > 0) frame_ms = std::max(frame_ms, 1000 / settings_.rate_limit + 0.02 * noise(random_));
  const double stall = hitch(frame_ms);
  frame_ms += stall;
  let_machine_run(frame_ms, cpu_ms, gpu_ms, stall);
  const auto interval = std::chrono::duration_cast<Nanoseconds>(frame_ms * kMillisecond);
  now_ += interval;
  const auto whole = [](double ms) { return std::chrono::duration_cast<Nanoseconds>(ms * kMillisecond); };
  latency_ = {now_, whole(cpu_ms + stall + gpu_ms)};
  return {now_, interval, whole(gpu_ms)};
}

void TidepoolRally::let_machine_run(double frame_ms, double cpu_ms, double gpu_ms, double stall_ms) {
  Demand demand;
  demand.busiest_core = std::min(1.0, cpu_ms / frame_ms);
  demand.processor = 0.06 + 0.34 * demand.busiest_core;
  demand.graphics = std::min(1.0, gpu_ms / frame_ms);
  demand.reads = stall_ms > 30 ? 900 : 6;  // a new scene is read from the disk
  demand.memory_used = 0.41;
  demand.graphics_memory = 0.38 + 0.3 * graphics_work_;
  if (has_begun(settings_.memory_fills)) {
    demand.graphics_memory = 0.997;
    demand.memory_used = 0.52;
    demand.reads = 60;
  }
  machine_.advance(frame_ms / 1000, demand);
}

}  // namespace idlemeter::rig
