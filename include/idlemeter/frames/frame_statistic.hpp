// Idle Meter: the statistics of frames that a face can show, by their ids.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/frames/span.hpp"

namespace idlemeter {

/// One statistic of a span. Its id is `frame.QUANTITY@ARGUMENT…`, as many arguments as are needed:
///
///     frame.average                   of the span that the face says, else of the recording
///     frame.low@0.1%                  mean of the slowest
///     frame.low@1%@percentile@10s     by another definition (percentile, time), of the last 10 seconds
///     frame.percentile@99%@cleared    of frame time
struct FrameStatistic {
  enum class Quantity : std::uint8_t { average, min, max, low, percentile, median, pacing, span, count };

  Quantity quantity = Quantity::average;
  Share share = {};  ///< of a low; of a percentile the q
  LowDefinition definition = LowDefinition::mean_of_slowest;
  std::optional<Span> span = {};

  friend bool operator==(const FrameStatistic&, const FrameStatistic&) = default;
};

/// Empty for an id that isn't a statistic of frames ("frame.rate", "gpu.load", "frame.low@200%").
[[nodiscard]] std::optional<FrameStatistic> frame_statistic(std::string_view id);

/// The id; the inverse of frame_statistic() up to spelling. A span of `recording` isn't written.
[[nodiscard]] std::string id_of(const FrameStatistic& statistic);

}  // namespace idlemeter
