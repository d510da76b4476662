// Idle Meter: readings as JSON.
#pragma once

#include <string>
#include <vector>

#include "idlemeter/readings/ranges.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter {

/// An array, over several lines: id, title, brief, device, kind, unit, source and value of each, or why it is missing;
/// with the least and the most of those that `ranges` has.
[[nodiscard]] std::string readings_json(const std::vector<Snapshot::Entry>& entries, const Ranges& ranges);

/// An object with the time and that array, in one line.
[[nodiscard]] std::string timed_readings_json(const std::vector<Snapshot::Entry>& entries, const Ranges& ranges,
                                              double seconds);

}  // namespace idlemeter
