// Idle Meter: how a face becomes a scene.
#pragma once

#include "idlemeter/face/face.hpp"
#include "idlemeter/face/scene.hpp"
#include "idlemeter/face/text_measure.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter {

/// Lays a face out on a picture of that size, filled with the values of a snapshot and, for traces, of a history.
/// A missing reading shows as "–". Never throws on what the values are. O(rows * cells + points of the
/// traces).
[[nodiscard]] Scene lay_out(const Face& face, int picture_width, int picture_height, const Snapshot& values,
                            const History& history, TextMeasure& measure);

}  // namespace idlemeter
