// From a counter to a rate.
#pragma once

#include <cstdint>
#include <optional>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "sources/kernel/kernel_file.hpp"

namespace idlemeter::sources {

/// The growth of a counter per second between two samples.
class Rate {
 public:
  /// `range`: the counter starts again at 0 after range - 1; 0 if it doesn't wrap.
  explicit Rate(std::uint64_t range = 0) : range_(range) {}

  /// Counts per second since the last call; missing at the first one, if a counter that doesn't wrap goes back (the
  /// device was reset), and over a gap of more than a minute and a half (the machine slept).
  Value next(Moment now, std::uint64_t count);

 private:
  std::uint64_t range_;
  std::optional<std::uint64_t> last_;
  Moment time_{};
};

/// The rate of a counter that stands in a file of its own, times `scale`; missing if the file can't be read or as
/// next() says.
Value file_rate(const fs::path& file, Rate& rate, Moment now, double scale);

/// A rate times `scale`, or the same reason why there is none.
Value scaled(Value rate, double scale);

}  // namespace idlemeter::sources
