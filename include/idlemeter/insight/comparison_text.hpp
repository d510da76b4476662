// Idle Meter: a comparison of groups of runs as text, for people and for programs.
#pragma once

#include <string>

#include "idlemeter/insight/compare.hpp"

namespace idlemeter {

/// A block for each figure, a line for each group; then the odd runs, and what else differs.
[[nodiscard]] std::string comparison_text(const Comparison& comparison, const DifferenceRules& rules);

/// A table for each figure (GitHub's and most forums' Markdown).
[[nodiscard]] std::string comparison_markdown(const Comparison& comparison);

/// A line for each figure and group, with a heading (RFC 4180).
[[nodiscard]] std::string comparison_csv(const Comparison& comparison);

}  // namespace idlemeter
