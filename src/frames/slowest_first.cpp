#include "frames/slowest_first.hpp"

#include <algorithm>
#include <bit>
#include <cassert>

#include "frames/log_buckets.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_summary.hpp"

namespace idlemeter::frames {
namespace {

/// Which bucket a frame time falls into. The top level is logarithmic, the finer ones are linear.
class Scale {
 public:
  static Scale logarithmic() { return {true, {}, 0, kLogBuckets}; }

  static Scale linear(Nanoseconds low, Nanoseconds width) {
    const int shift =
        std::max(0, static_cast<int>(std::bit_width(static_cast<std::uint64_t>(width.count() - 1))) - kStepBits);
    return {false, low, shift, static_cast<std::size_t>((width.count() - 1) >> shift) + 1};
  }

  [[nodiscard]] std::size_t buckets() const { return buckets_; }

  [[nodiscard]] std::size_t bucket_of(Nanoseconds value) const {
    return log_ ? log_bucket_of(value) : static_cast<std::size_t>((value - low_).count() >> shift_);
  }

  [[nodiscard]] Nanoseconds low(std::size_t bucket) const {
    return log_ ? log_bucket_low(bucket) : low_ + Nanoseconds(bucket << shift_);
  }

  [[nodiscard]] Nanoseconds width(std::size_t bucket) const { return low(bucket + 1) - low(bucket); }

 private:
  static constexpr int kStepBits = 10;

  Scale(bool log, Nanoseconds low, int shift, std::size_t buckets)
      : log_(log), low_(low), shift_(shift), buckets_(buckets) {}

  bool log_;
  Nanoseconds low_;
  int shift_;
  std::size_t buckets_;
};

Nanoseconds shortest_of(std::span<const Nanoseconds> intervals) {
  Nanoseconds shortest = kLongestFrame;
  for (Nanoseconds interval : intervals) shortest = is_frame(interval) ? std::min(shortest, interval) : shortest;
  return shortest;
}

}  // namespace

class SlowestFirst::Level {
 public:
  Level(std::span<const Nanoseconds> values, Scale scale) : values_(values), scale_(scale), buckets_(scale.buckets()) {
    for (Nanoseconds value : values) {
      if (!is_frame(value)) continue;
      Bucket& bucket = buckets_[scale_.bucket_of(value)];
      ++bucket.count;
      bucket.sum += value;
    }
  }

  Level(std::vector<Nanoseconds> members, Scale scale) : Level(std::span<const Nanoseconds>(members), scale) {
    members_ = std::move(members);  // moving keeps the buffer that values_ points to
  }

  Tail slowest(std::uint64_t k) {
    Nanoseconds sum{};
    std::size_t b = buckets_.size() - 1;
    for (; k > buckets_[b].count; --b) {
      k -= buckets_[b].count;
      sum += buckets_[b].sum;
    }
    if (scale_.width(b) == Nanoseconds{1}) return {scale_.low(b), sum + static_cast<std::int64_t>(k) * scale_.low(b)};
    const Tail rest = finer(b).slowest(k);
    return {rest.kth, sum + rest.sum};
  }

  Nanoseconds reaching(Nanoseconds time) {
    std::size_t b = buckets_.size() - 1;
    for (; time > buckets_[b].sum; --b) time -= buckets_[b].sum;
    return scale_.width(b) == Nanoseconds{1} ? scale_.low(b) : finer(b).reaching(time);
  }

 private:
  struct Bucket {
    std::uint64_t count = 0;
    Nanoseconds sum{};
  };

  Level& finer(std::size_t bucket) {
    std::unique_ptr<Level>& level = finer_[bucket];
    if (level == nullptr) {
      const Nanoseconds low = scale_.low(bucket);
      const Nanoseconds width = scale_.width(bucket);
      level = std::make_unique<Level>(members_of(bucket, low, width), Scale::linear(low, width));
    }
    return *level;
  }

  std::vector<Nanoseconds> members_of(std::size_t bucket, Nanoseconds low, Nanoseconds width) const {
    std::vector<Nanoseconds> members;
    members.reserve(buckets_[bucket].count);
    // One comparison: a value below `low` wraps around to a large number.
    const auto from = static_cast<std::uint64_t>(low.count()), span = static_cast<std::uint64_t>(width.count());
    std::copy_if(values_.begin(), values_.end(), std::back_inserter(members),
                 [=](Nanoseconds value) { return static_cast<std::uint64_t>(value.count()) - from < span; });
    return members;
  }

  std::vector<Nanoseconds> members_;
  std::span<const Nanoseconds> values_;
  Scale scale_;
  std::vector<Bucket> buckets_;
  std::map<std::size_t, std::unique_ptr<Level>> finer_;
};

SlowestFirst::SlowestFirst(std::span<const Nanoseconds> intervals)
    : shortest_(shortest_of(intervals)), top_(std::make_unique<Level>(intervals, Scale::logarithmic())) {}

SlowestFirst::~SlowestFirst() = default;

Tail SlowestFirst::slowest(std::uint64_t k) const { return top_->slowest(k); }

Nanoseconds SlowestFirst::reaching(Nanoseconds time) const { return top_->reaching(time); }

}  // namespace idlemeter::frames
