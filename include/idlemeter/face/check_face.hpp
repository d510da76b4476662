// Idle Meter: advice about a face.
#pragma once

#include <vector>

#include "idlemeter/base/finding.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/text_measure.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter {

/// Warnings for the author of a valid face, by line: readings that this machine doesn't
/// have, with the nearest; rows with the same label; what doesn't fit a usual picture (1280x720 to 3840x2160,
/// 1280x800); texts of pins that cover each other; colours that can't be read on the box behind them (under 4.5:1 by
/// WCAG 2.1, 1.4.3).
[[nodiscard]] std::vector<Finding> check_face(const Face& face, const Snapshot& values, TextMeasure& measure);

}  // namespace idlemeter
