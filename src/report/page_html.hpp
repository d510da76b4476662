// The parts of a report that are read without scripts.
#pragma once

#include <string>
#include <vector>

#include "idlemeter/insight/compare.hpp"
#include "idlemeter/insight/figure_set.hpp"

namespace idlemeter::report {

// Sections, each with its heading.
[[nodiscard]] std::string summary_section(const std::vector<RunGroup>& groups, const FigureSet& figures,
                                          const Comparison* comparison);
[[nodiscard]] std::string comparison_section(const Comparison& comparison, double confidence);
[[nodiscard]] std::string plots_section(bool thinned);
[[nodiscard]] std::string without_plots();
[[nodiscard]] std::string stutters_section(const std::vector<RunGroup>& groups);
[[nodiscard]] std::string facts_section(const std::vector<RunGroup>& groups, bool arguments);
/// `confidence` of the intervals of a comparison; 0: there is none.
[[nodiscard]] std::string definitions_section(const FigureSet& figures, double confidence);

}  // namespace idlemeter::report
