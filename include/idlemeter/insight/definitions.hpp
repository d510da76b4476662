// Idle Meter: what figures mean, and what to do about doubts, for people who meet them on a page.
#pragma once

#include <span>
#include <string>
#include <string_view>

#include "idlemeter/insight/run_insight.hpp"

namespace idlemeter {

struct Definition {
  std::string_view term, words;
};

/// Of what reports and the desk show; docs/statistics.md has them in full.
[[nodiscard]] std::span<const Definition> figure_definitions();

/// The same of differences between groups, their intervals and verdicts.
[[nodiscard]] std::string comparison_definition(double confidence = 0.95);

/// What would remove a doubt: "Record at least 30 s." Some can't be: then how to read the figures.
[[nodiscard]] std::string_view advice_on(DoubtRule rule);

}  // namespace idlemeter
