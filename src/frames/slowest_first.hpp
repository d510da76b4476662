// Order statistics of frames that are all there, without sorting them.
#pragma once

#include <map>
#include <memory>
#include <span>
#include <vector>

#include "frames/tail.hpp"
#include "idlemeter/base/time.hpp"

namespace idlemeter::frames {

/// A histogram with a count and a sum for each bucket; a bucket that a question falls into is looked at again with a
/// finer one, until its buckets hold a single frame time each. Every level divides a bucket's width by 1024, so that a
/// question costs at most four passes over the bucket's members: O(n), for any shape of the data.
///
/// Refers to the intervals, which must outlive it. One thread at a time: finer levels are made when first asked for.
class SlowestFirst : public TailView {
 public:
  /// Intervals that aren't frames are skipped.
  explicit SlowestFirst(std::span<const Nanoseconds> intervals);
  ~SlowestFirst() override;

  [[nodiscard]] Nanoseconds shortest() const override { return shortest_; }
  [[nodiscard]] Tail slowest(std::uint64_t k) const override;
  [[nodiscard]] Nanoseconds reaching(Nanoseconds time) const override;

 private:
  class Level;
  Nanoseconds shortest_;
  std::unique_ptr<Level> top_;
};

}  // namespace idlemeter::frames
