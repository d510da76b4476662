// Idle Meter: the statistics of frames that a face can show, by their ids.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

#include "idlemeter/frame_summary.hpp"

namespace idlemeter {

/// Which stretch of frames a live statistic covers.
struct Span {
  enum class Kind : std::uint8_t {
    recording,  ///< since the recording started; held when it stops. Before the first one as `cleared`
    cleared,    ///< since the user cleared the statistics, or the game began
    last        ///< the last while
  } kind = Kind::recording;
  Nanoseconds length = 0;  ///< of `last`

  friend bool operator==(const Span&, const Span&) = default;
};

/// Reads "recording", "cleared", "10 s" or "10s" (0.1 to 3600 seconds).
std::optional<Span> span_from(std::string_view text);

/// "recording", "cleared", "10s".
std::string to_string(const Span& span);

/// One statistic of a span. Its id is `frame.QUANTITY@ARGUMENT…`, as many arguments as are needed:
///
///   frame.average                   of the span that the face says, else of the recording
///   frame.low@0.1%                  mean of the slowest
///   frame.low@1%@percentile@10s     by another definition (percentile, time), of the last 10 seconds
///   frame.percentile@99%@cleared    of frame time
struct FrameStatistic {
  enum class Quantity : std::uint8_t { average, min, max, low, percentile, median, pacing, span, count };

  Quantity quantity = Quantity::average;
  Share share = {};  ///< of a low; of a percentile the q
  LowDefinition definition = LowDefinition::mean_of_slowest;
  std::optional<Span> span = {};

  friend bool operator==(const FrameStatistic&, const FrameStatistic&) = default;
};

/// Empty for an id that is no statistic of frames ("frame.rate", "gpu.load", "frame.low@200%").
std::optional<FrameStatistic> frame_statistic(std::string_view id);

/// The id; the inverse of frame_statistic() up to spelling. A span of `recording` isn't written.
std::string id_of(const FrameStatistic& statistic);

}  // namespace idlemeter
