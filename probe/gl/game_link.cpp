#include "idlemeter/game/game_link.hpp"

#include "gl/blend.hpp"
#include "gl/gpu_clock.hpp"
#include "idlemeter/base/time.hpp"
#include "link/probe_end.hpp"

namespace idlemeter {

struct GameLink::State {
  FindCall find = nullptr;
  bool loaded = false, usable = false;
  probe::Gl gl;
  probe::Blend blend;
  probe::GlGpuClock clock;
  link::ProbeEnd end;
};

GameLink::GameLink(FindCall find) : state_(std::make_unique<State>()) { state_->find = find; }
GameLink::~GameLink() {
  state_->end.close();
  state_->end.forget();
}

void GameLink::before_swap(int width, int height) {
  State& s = *state_;
  if (!s.loaded) {
    s.loaded = true;
    s.usable = s.gl.load(s.find);
  }
  link::FrameEntry frame;
  frame.present = monotonic_now();
  const link::GpuTimes times = s.usable ? s.clock.end(s.gl) : link::GpuTimes{};
  frame.gpu_work = times.work;
  frame.latency = times.latency;
  frame.width = static_cast<std::uint32_t>(width);
  frame.height = static_cast<std::uint32_t>(height);
  s.end.add(frame, s.gl.graphics());
  const link::Shown shown = s.usable ? s.end.picture() : link::Shown{};
  if (shown.pixels != nullptr) s.blend.draw(s.gl, s.end, shown, width, height);
}

void GameLink::after_swap() {
  if (state_->usable && state_->end.linked()) state_->clock.begin(state_->gl);
}

}  // namespace idlemeter
