// Idle Meter: which stretch of frames a live statistic covers.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

#include "idlemeter/base/time.hpp"

namespace idlemeter {

struct Span {
  enum class Kind : std::uint8_t {
    recording,  ///< since the recording started; kept when it stops. Before the first recording the same as `cleared`
    cleared,    ///< since the user cleared the statistics, or since the game started
    last        ///< the last while
  } kind = Kind::recording;
  Nanoseconds length{};  ///< of `last`

  friend bool operator==(const Span&, const Span&) = default;
};

/// Reads "recording", "cleared", "10 s" or "10s" (0.1 to 3600 seconds). Empty for anything else.
[[nodiscard]] std::optional<Span> span_from(std::string_view text);

/// "recording", "cleared", "10s".
[[nodiscard]] std::string to_string(const Span& span);

}  // namespace idlemeter
