#include "idlemeter/frames/frame_spans.hpp"

#include <algorithm>
#include <cstdlib>
#include <iterator>
#include <list>
#include <optional>
#include <span>
#include <vector>

#include "frames/ordered_frames.hpp"
#include "frames/tail.hpp"

namespace idlemeter {
namespace {

using namespace frames;

/// The frames between two moments at which a span began or ended, or might have.
struct Segment {
  std::uint64_t number = 0;  ///< rises
  OrderedFrames frames;
};

using Segments = std::list<Segment>;

/// Several segments as one. Counting above a time is quick in each, so that what is asked is found by halving.
class Union : public TailView {
 public:
  explicit Union(std::vector<const OrderedFrames*> parts) : parts_(std::move(parts)) {}

  [[nodiscard]] Nanoseconds shortest() const override {
    Nanoseconds least = Nanoseconds::max();
    for (const OrderedFrames* part : parts_) least = std::min(least, part->shortest());
    return least;
  }

  [[nodiscard]] Tail slowest(std::uint64_t k) const override {
    if (parts_.size() == 1) return parts_.front()->slowest(k);
    // The k-th of all is at or above each part's own k-th, and not above what k / parts of one of them reach.
    const std::uint64_t each = (k + parts_.size() - 1) / parts_.size();
    Nanoseconds low{}, high{};
    for (const OrderedFrames* part : parts_) {
      const std::uint64_t count = part->count();
      if (count >= k) low = std::max(low, part->slowest(k).kth);
      high = std::max(high, part->slowest(std::min(count, each)).kth);
    }
    const Nanoseconds kth = least(low, high, [&](const OrderedFrames::Above& above) { return above.count < k; });
    const OrderedFrames::Above rest = above(kth);
    return {kth, rest.sum + kth * static_cast<std::int64_t>(k - rest.count)};
  }

  [[nodiscard]] Nanoseconds reaching(Nanoseconds time) const override {
    if (parts_.size() == 1) return parts_.front()->reaching(time);
    return least({}, slowest(1).kth, [&](const OrderedFrames::Above& above) { return above.sum < time; });
  }

 private:
  [[nodiscard]] OrderedFrames::Above above(Nanoseconds time) const {
    OrderedFrames::Above all;
    for (const OrderedFrames* part : parts_) {
      const OrderedFrames::Above one = part->above(time);
      all.count += one.count;
      all.sum += one.sum;
    }
    return all;
  }

  /// Returns the smallest time in [low, high] for which `holds` is true. `holds` is true for high, and monotonic.
  template <typename Holds>
  [[nodiscard]] Nanoseconds least(Nanoseconds low, Nanoseconds high, const Holds& holds) const {
    while (low < high) {
      const Nanoseconds middle = low + (high - low) / 2;
      if (holds(above(middle))) {
        high = middle;
      } else {
        low = middle + Nanoseconds{1};
      }
    }
    return high;
  }

  std::vector<const OrderedFrames*> parts_;
};

struct Stretch {
  std::uint64_t first = 0;            ///< number of its first segment
  std::optional<std::uint64_t> last;  ///< of its last, once it is held
  Totals totals = {};
  Nanoseconds newest{};
  bool is_full = false;  ///< held because it is full: what comes is counted

  [[nodiscard]] bool covers(const Segment& segment) const {
    return segment.number >= first && (!last || segment.number <= *last);
  }

  void add(Nanoseconds interval) {
    if (totals.frames > 0) totals.steps += std::chrono::abs(interval - newest);
    newest = interval;
    totals.time += interval;
    ++totals.frames;
  }
};

}  // namespace

struct FrameSpans::State {
  std::size_t most = 0;
  std::vector<Stretch> spans;
  Segments segments;

  /// The segment that the next frame goes to, without one before it.
  std::uint64_t begin_segment() {
    if (segments.empty() || segments.back().frames.count() > 0) {
      const std::uint64_t number = segments.empty() ? 1 : segments.back().number + 1;
      segments.push_back({number, {}});
    }
    return segments.back().number;
  }

  /// The segment that begins with these frames, which are the newest; made if they are the rest of another.
  std::uint64_t begin_with(std::span<const Nanoseconds> newest) {
    std::uint64_t left = newest.size();
    if (left == 0) return begin_segment();
    for (auto segment = segments.end(); segment != segments.begin();) {
      --segment;
      const std::uint64_t count = segment->frames.count();
      if (left < count) return split(segment, newest.first(left));
      left -= count;
      if (left == 0) return segment->number;
    }
    // More than there are: they were never added.
    const std::uint64_t number = begin_segment();
    for (const Nanoseconds interval : newest) segments.back().frames.insert(interval);
    return number;
  }

  /// Moves the last frames of a segment into one of their own behind it; its number.
  std::uint64_t split(Segments::iterator segment, std::span<const Nanoseconds> last) {
    const std::uint64_t number = segment->number + 1;
    for (auto later = std::next(segment); later != segments.end(); ++later) ++later->number;
    for (Stretch& span : spans) {
      if (span.first >= number) ++span.first;
      if (span.last && *span.last >= segment->number)
        ++*span.last;  // those that end with the segment end with its rest
    }
    const auto made = segments.insert(std::next(segment), {number, {}});
    for (const Nanoseconds interval : last) {
      segment->frames.try_erase(interval);
      made->frames.insert(interval);
    }
    return number;
  }

  /// Ends the span with the newest frame.
  void hold(Stretch& span) {
    const Segment& newest = segments.back();
    span.last = newest.frames.count() > 0 ? newest.number : newest.number - 1;
    begin_segment();
  }

  /// A full span ends where it is, so that the others may go on.
  void hold_full() {
    for (Stretch& span : spans) {
      const bool fits = span.totals.time <= kLongestTime && span.totals.frames < most;
      if (span.last || fits) continue;
      hold(span);
      span.is_full = true;
    }
  }

  /// Drops what no span covers any more, and joins segments that no span tells apart while there are many.
  void tidy() {
    constexpr std::size_t kMost = 6;
    segments.remove_if([this](const Segment& segment) {
      const bool is_newest = &segment == &segments.back();
      return !is_newest &&
             std::none_of(spans.begin(), spans.end(), [&](const Stretch& s) { return s.covers(segment); });
    });
    while (segments.size() > kMost && join_smallest()) {
    }
  }

  /// False if every border between two segments is one of a span.
  bool join_smallest() {
    auto best = segments.end();
    std::uint64_t least = UINT64_MAX;
    for (auto one = segments.begin(); std::next(one) != segments.end(); ++one) {
      const Segment& next = *std::next(one);
      const bool same = std::all_of(spans.begin(), spans.end(),
                                    [&](const Stretch& span) { return span.covers(*one) == span.covers(next); });
      const std::uint64_t count = one->frames.count() + next.frames.count();
      if (!same || count >= least) continue;
      least = count;
      best = one;
    }
    if (best == segments.end()) return false;
    const auto next = std::next(best);
    // The larger one stays, with the number of the later: no span begins or ends between them.
    if (best->frames.count() < next->frames.count()) std::swap(best->frames, next->frames);
    best->frames.take_all(next->frames);
    for (Stretch& span : spans) {
      if (span.first == next->number) span.first = best->number;
      if (span.last == next->number) span.last = best->number;
    }
    segments.erase(next);
    return true;
  }

  [[nodiscard]] Summary summary(Id id, const SummaryRequest& request) const {
    std::vector<const OrderedFrames*> parts;
    for (const Segment& segment : segments) {
      if (spans[id].covers(segment) && segment.frames.count() > 0) parts.push_back(&segment.frames);
    }
    return frames::figures(Union(std::move(parts)), spans[id].totals, request);
  }
};

FrameSpans::FrameSpans(std::size_t most_frames) : state_(std::make_unique<State>()) {
  state_->most = most_frames;
  state_->begin_segment();
}
FrameSpans::FrameSpans(FrameSpans&&) noexcept = default;
FrameSpans& FrameSpans::operator=(FrameSpans&&) noexcept = default;
FrameSpans::~FrameSpans() = default;

FrameSpans::Id FrameSpans::add_span() {
  state_->spans.push_back({state_->begin_segment(), std::nullopt});
  return state_->spans.size() - 1;
}

void FrameSpans::add(Nanoseconds interval) {
  State& s = *state_;
  const bool is_frame = frames::is_frame(interval);
  if (is_frame) s.hold_full();
  bool taken = false;
  for (Stretch& span : s.spans) {
    const bool takes = !span.last && is_frame;
    if (takes) span.add(interval);
    if (!takes && (!span.last || span.is_full)) ++span.totals.left_out;
    taken = taken || takes;
  }
  if (taken) s.segments.back().frames.insert(interval);
}

void FrameSpans::restart(Id id, std::span<const Nanoseconds> already) {
  State& s = *state_;
  std::vector<Nanoseconds> newest;
  std::copy_if(already.begin(), already.end(), std::back_inserter(newest), &frames::is_frame);
  const std::uint64_t first = s.begin_with(newest);
  s.spans[id] = {first, std::nullopt};
  for (const Nanoseconds interval : newest) s.spans[id].add(interval);
  s.tidy();
}

void FrameSpans::hold(Id id) {
  if (state_->spans[id].last) return;
  state_->hold(state_->spans[id]);
  state_->tidy();
}

Summary FrameSpans::summary(Id span, const SummaryRequest& request) const { return state_->summary(span, request); }

std::uint64_t FrameSpans::frames(Id span) const { return state_->spans[span].totals.frames; }

std::size_t FrameSpans::memory() const {
  std::size_t bytes = 0;
  for (const Segment& segment : state_->segments) bytes += segment.frames.memory();
  return bytes;
}

}  // namespace idlemeter
