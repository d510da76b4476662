// The parts of a report that are read without scripts.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "idlemeter/insight/compare.hpp"
#include "idlemeter/insight/figure_set.hpp"

namespace idlemeter::report {

/// Text as HTML: "a < b" -> "a &lt; b"; control characters and those that turn the direction of writing become U+FFFD.
[[nodiscard]] std::string html(std::string_view text);

// Sections, each with its heading.
[[nodiscard]] std::string summary_section(const std::vector<RunGroup>& groups, const FigureSet& figures,
                                          const Comparison* comparison);
[[nodiscard]] std::string comparison_section(const Comparison& comparison);
[[nodiscard]] std::string plots_section(bool thinned);
[[nodiscard]] std::string stutters_section(const std::vector<RunGroup>& groups);
[[nodiscard]] std::string facts_section(const std::vector<RunGroup>& groups);
[[nodiscard]] std::string definitions_section(const FigureSet& figures, bool compares);

}  // namespace idlemeter::report
