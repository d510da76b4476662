#include "idlemeter/frames/live_frames.hpp"

#include <chrono>
#include <deque>
#include <stdexcept>

#include "frames/ordered_frames.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_summary.hpp"

namespace idlemeter {

using namespace frames;

struct LiveFrames::State {
  Nanoseconds length = Nanoseconds::max();
  std::size_t most_frames = 0;
  bool sliding = false;

  frames::OrderedFrames ordered;
  frames::Totals totals;
  Nanoseconds newest{};
  std::deque<Nanoseconds> order;  // the frames as they came, so that a sliding span knows which leaves; else empty

  [[nodiscard]] bool slides() const { return sliding; }

  void drop_oldest() {
    const Nanoseconds oldest = order.front();
    order.pop_front();
    if (!order.empty()) totals.steps -= std::chrono::abs(order.front() - oldest);
    totals.time -= oldest;
    --totals.frames;
    ordered.erase(oldest);
  }
};

LiveFrames::LiveFrames(std::unique_ptr<State> state) : state_(std::move(state)) {}
LiveFrames::LiveFrames(LiveFrames&&) noexcept = default;
LiveFrames& LiveFrames::operator=(LiveFrames&&) noexcept = default;
LiveFrames::~LiveFrames() = default;

LiveFrames LiveFrames::growing(std::size_t most_frames) {
  LiveFrames live(std::make_unique<State>());
  live.state_->most_frames = most_frames;
  return live;
}

LiveFrames LiveFrames::sliding(Nanoseconds length, std::size_t most_frames) {
  if (length <= Nanoseconds{} || most_frames == 0)
    throw Error(Error::Code::misuse, "a sliding span holds at least a nanosecond and a frame");
  LiveFrames live = growing();
  live.state_->length = length;
  live.state_->most_frames = most_frames;
  live.state_->sliding = true;
  return live;
}

void LiveFrames::add(Nanoseconds interval) {
  State& s = *state_;
  const bool fits = s.totals.time <= kLongestTime && (s.slides() || s.totals.frames < s.most_frames);
  if (!frames::is_frame(interval) || !fits) {
    ++s.totals.left_out;
    return;
  }
  if (s.totals.frames > 0) s.totals.steps += std::chrono::abs(interval - s.newest);
  s.newest = interval;
  s.totals.time += interval;
  ++s.totals.frames;
  s.ordered.insert(interval);
  if (!s.slides()) return;
  s.order.push_back(interval);
  while (s.totals.time - s.order.front() >= s.length || s.order.size() > s.most_frames) s.drop_oldest();
}

void LiveFrames::clear() {
  state_->ordered.clear();
  state_->order.clear();
  state_->totals = {};
}

Summary LiveFrames::summary(const SummaryRequest& request) const {
  return frames::figures(state_->ordered, state_->totals, request);
}

std::uint64_t LiveFrames::frames() const { return state_->totals.frames; }

Nanoseconds LiveFrames::time() const { return state_->totals.time; }

std::size_t LiveFrames::memory() const { return state_->ordered.memory() + state_->order.size() * sizeof(Nanoseconds); }

}  // namespace idlemeter
