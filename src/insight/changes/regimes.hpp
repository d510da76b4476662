// Parts of a series that vary more or less.
#pragma once

#include <cstddef>
#include <vector>

#include "idlemeter/insight/changes.hpp"
#include "idlemeter/insight/second_series.hpp"
#include "idlemeter/insight/stretches.hpp"
#include "idlemeter/readings/reading.hpp"

namespace idlemeter::insight {

inline constexpr std::size_t kLeastSeconds = 20;  // a shorter series, slope or regime isn't reported

/// The last digit that is shown: no change is smaller.
[[nodiscard]] double step_of(const ReadingInfo& info);

/// A part of a series that varies by the same amount.
struct Regime {
  std::size_t begin = 0, end = 0;
  double spread = 0;  ///< standard deviation, by the steps between neighbours
};

/// Where a series varies more or less: the level of the steps between neighbours. At least one, without gaps.
[[nodiscard]] std::vector<Regime> regimes_of(const SecondSeries& one, const ChangeRules& rules);

/// Each number's spread: its regime's. Empty if all are the noise's.
[[nodiscard]] std::vector<double> spreads_in(const SecondSeries& one, const Noise& noise,
                                             const std::vector<Regime>& regimes);

}  // namespace idlemeter::insight
