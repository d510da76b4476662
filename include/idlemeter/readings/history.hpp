// Idle Meter: the recent past of readings.
#pragma once

#include <algorithm>
#include <cstddef>
#include <deque>
#include <map>
#include <string>
#include <string_view>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter {

/// The values of some readings over the last while, for traces. One thread at a time.
class History {
 public:
  struct Entry {
    Moment at{};
    double value = 0;
  };

  /// Keeps each reading's values for that long (1 ns to kLongestTime), and no more than `most` (>= 1) of them.
  explicit History(Nanoseconds length = 60 * kSecond, std::size_t most = 100'000)
      : length_(std::clamp(length, Nanoseconds{1}, kLongestTime)), most_(std::max<std::size_t>(most, 1)) {}

  /// `at` doesn't fall: if it does, the values before are forgotten. One before kEarliestMoment or after kLatestMoment
  /// isn't taken.
  void add(std::string_view id, Moment at, double value);

  /// All numbers of the snapshot.
  void add(const Snapshot& snapshot);

  /// Oldest first; nullptr if there are none.
  [[nodiscard]] const std::deque<Entry>* of(std::string_view id) const;

 private:
  Nanoseconds length_;
  std::size_t most_;
  std::map<std::string, std::deque<Entry>, std::less<>> entries_;
};

}  // namespace idlemeter
