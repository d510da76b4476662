// *Tidepool Rally*, the simulated game: a lap of scenes, each with its own work for processor and GPU.
#pragma once

#include <cstdint>
#include <random>
#include <string>
#include <string_view>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/frame_latency.hpp"
#include "machine.hpp"

namespace idlemeter::rig {

struct GameSettings {
  std::string preset = "High";  ///< "Low", "Medium", "High" or "Ultra"
  double rate_limit = 0;        ///< frames per second; 0: none
  std::uint64_t seed = 1;
  bool upscaler = false;  ///< draws at a lower resolution: half the work for the GPU
  bool stays = false;     ///< at the reef, instead of racing a lap

  // What goes wrong, in seconds of play.
  double cooler_stops = kNever;  ///< the card's fans stand still
  double memory_fills = kNever;  ///< the card's memory is full, and the game reads again and again what was in it

  static constexpr double kNever = 1e9;
};

/// Twenty minutes at the reef in which the cooler stops at 12:00 and the card's memory fills at 16:00.
[[nodiscard]] GameSettings long_session();

/// Plays the game on a machine, a frame at a time, on a virtual clock that starts at 0: the frame's work decides the
/// machine's heat, and its heat the speed of the next frames. Deterministic by seed. One thread at a time.
class TidepoolRally {
 public:
  /// The machine must outlive the game. Throws Error (misuse) for a preset that isn't there.
  TidepoolRally(Machine& machine, const GameSettings& settings);

  /// Plays one frame.
  FrameRecord next_frame();

  /// Of that frame.
  [[nodiscard]] FrameLatency latency() const { return latency_; }

  /// Virtual time since the start.
  [[nodiscard]] Moment now() const { return now_; }

  /// "Harbour", "Reef" …
  [[nodiscard]] std::string_view scene() const;

 private:
  [[nodiscard]] std::size_t scene_now() const;
  [[nodiscard]] bool has_begun(double seconds) const;
  double hitch(double frame_ms);
  void let_machine_run(double frame_ms, double cpu_ms, double gpu_ms, double stall_ms);

  Machine& machine_;
  GameSettings settings_;
  double processor_work_ = 1, graphics_work_ = 1;  // of the preset, as factors
  double wave_ = 0;                                // slow drift of the load within a scene
  std::mt19937_64 random_;
  Moment now_{};
  FrameLatency latency_;
  std::size_t last_scene_ = 0;
};

}  // namespace idlemeter::rig
