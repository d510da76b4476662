// A line over time, drawn column by column.
#pragma once

#include "idlemeter/draw/image.hpp"
#include "idlemeter/face/scene.hpp"

namespace idlemeter::draw {

/// Draws the trace onto the image, whose top left corner is at (x, y) of the scene. The line is antialiased in y: each
/// column of pixels is covered from the highest to the lowest place of the line within it. O(points + covered pixels).
void draw_trace(const TraceShape& trace, Image& onto, int x, int y);

}  // namespace idlemeter::draw
