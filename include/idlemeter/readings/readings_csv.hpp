// Idle Meter: readings with their values as CSV, a line each.
#pragma once

#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/ranges.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter {

/// The names of the columns; lines end with "\n".
[[nodiscard]] std::string readings_csv_heading();

/// `time`: since the first values, s.
[[nodiscard]] std::string readings_csv_lines(const std::vector<Snapshot::Entry>& entries, const Ranges& ranges,
                                             double time);

}  // namespace idlemeter
