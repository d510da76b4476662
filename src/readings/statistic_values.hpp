// Statistics of frames as readings.
#pragma once

#include <string>

#include "idlemeter/frames/frame_statistic.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter::readings {

inline constexpr const char* kNoFrames = "no frames yet";

/// A reading of the game's frames.
[[nodiscard]] ReadingInfo frame_info(std::string id, std::string title, std::string brief, Unit unit, int digits);

/// Its id, title and unit; the title says `of` what: " of the last 10 s", or nothing.
[[nodiscard]] ReadingInfo info_of(const FrameStatistic& statistic, const std::string& of);

/// Adds what a summary has to have for the statistic.
void add_to(SummaryRequest& request, const FrameStatistic& statistic);

/// In the statistic's unit, from a summary that was asked for it; missing without frames.
[[nodiscard]] Value value_of(const FrameStatistic& statistic, const Summary& summary);

/// Whether a low or percentile has too few frames for its share: fewer than one frame would be in it.
[[nodiscard]] bool is_uncertain(const FrameStatistic& statistic, const Summary& summary);

}  // namespace idlemeter::readings
