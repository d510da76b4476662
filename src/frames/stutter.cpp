#include "idlemeter/frames/stutter.hpp"

#include <algorithm>
#include <cstdint>

#include "frames/log_buckets.hpp"
#include "frames/median.hpp"
#include "frames/tail.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/frames/frame_summary.hpp"

namespace idlemeter {

using namespace frames;

namespace {

/// Frame times in logarithmic buckets, and in which of them the lower median is, while frames come and go. A step costs
/// as many buckets as the median moves.
class RoughMedian {
 public:
  RoughMedian() : counts_(kLogBuckets + 1) {}

  void add(Nanoseconds value) { change(value, 1); }
  void remove(Nanoseconds value) { change(value, -1); }

  /// At most the median of the frames added, at least one.
  Nanoseconds lower_bound() {
    const std::int64_t rank = (all_ - 1) / 2;
    while (below_ > rank) below_ -= counts_[--bucket_];
    while (below_ + counts_[bucket_] <= rank) below_ += counts_[bucket_++];
    return log_bucket_low(bucket_);
  }

 private:
  void change(Nanoseconds value, std::int64_t by) {
    const std::size_t bucket = log_bucket_of(value);
    counts_[bucket] += by;
    all_ += by;
    below_ += bucket < bucket_ ? by : 0;
  }

  std::vector<std::int64_t> counts_;
  std::int64_t all_ = 0, below_ = 0;  // below_: in the buckets before bucket_
  std::size_t bucket_ = 0;
};

/// The frames that count, in time of play.
struct Play {
  explicit Play(std::span<const FrameRecord> frames) {
    lengths.reserve(frames.size());
    ends.reserve(frames.size());
    Nanoseconds end{};
    for (const FrameRecord& frame : frames) {
      const Nanoseconds length = is_frame(frame.interval) ? frame.interval : Nanoseconds{};
      lengths.push_back(length);
      ends.push_back(end += length);
    }
  }

  std::vector<Nanoseconds> lengths;  // 0: isn't a frame
  std::vector<Nanoseconds> ends;
};

bool exceeds(Nanoseconds length, Nanoseconds median, const StutterRule& rule) {
  return length > median + rule.excess &&
         static_cast<double>(length.count()) > rule.factor * static_cast<double>(median.count());
}

void add_to_hitches(std::vector<Hitch>& hitches, const Stutter& stutter, Nanoseconds together) {
  const Moment begin = stutter.at - stutter.length;
  const bool joins = !hitches.empty() && begin - (hitches.back().begin + hitches.back().length) < together;
  if (!joins) hitches.push_back({.begin = begin});
  Hitch& hitch = hitches.back();
  hitch.length = stutter.at - hitch.begin;
  hitch.worst = std::max(hitch.worst, stutter.length);
  hitch.lost += stutter.lost;
  ++hitch.stutters;
}

}  // namespace

Stutters find_stutters(std::span<const FrameRecord> frames, const StutterRule& rule) {
  Stutters found;
  const Play play(frames);
  RoughMedian rough;
  std::vector<Nanoseconds> window;
  std::size_t first = 0, end = 0;
  for (std::size_t i = 0; i < frames.size(); ++i) {
    const Nanoseconds length = play.lengths[i];
    if (length == Nanoseconds{}) continue;
    for (; end < frames.size() && play.ends[end] <= play.ends[i] + rule.window / 2; ++end) {
      if (play.lengths[end] > Nanoseconds{}) rough.add(play.lengths[end]);
    }
    for (; play.ends[first] < play.ends[i] - rule.window / 2; ++first) {
      if (play.lengths[first] > Nanoseconds{}) rough.remove(play.lengths[first]);
    }
    if (!exceeds(length, rough.lower_bound(), rule)) continue;
    window.clear();
    std::copy_if(play.lengths.begin() + static_cast<std::ptrdiff_t>(first),
                 play.lengths.begin() + static_cast<std::ptrdiff_t>(end), std::back_inserter(window),
                 [](Nanoseconds one) { return one > Nanoseconds{}; });
    const Nanoseconds median = median_of(window);
    if (!exceeds(length, median, rule)) continue;
    found.frames.push_back({i, frames[i].at, length, length - median});
    found.time += length;
    found.lost += length - median;
    add_to_hitches(found.hitches, found.frames.back(), rule.together);
  }
  const double all = play.ends.empty() ? 0 : in_seconds(play.ends.back());
  found.share = all > 0 ? in_seconds(found.time) / all : 0;
  return found;
}

}  // namespace idlemeter
