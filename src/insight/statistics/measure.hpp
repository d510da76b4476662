// What the changes of a series are measured by.
#pragma once

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <vector>

#include "idlemeter/insight/changes.hpp"
#include "idlemeter/insight/second_series.hpp"
#include "idlemeter/insight/stretches.hpp"

namespace idlemeter::insight {

/// Its members have to outlive it.
struct Measure {
  const SecondSeries& one;
  const Noise& noise;
  const std::vector<double>& spreads;  ///< of each second; empty: all are the noise's
  const ChangeRules& rules;

  [[nodiscard]] double spread(std::size_t second) const { return spreads.empty() ? noise.spread : spreads[second]; }

  /// Whether the difference of two levels is a small share of them.
  [[nodiscard]] bool is_small(double from, double to) const {
    return std::abs(from - to) < rules.least_share * std::max(std::abs(from), std::abs(to));
  }
};

}  // namespace idlemeter::insight
