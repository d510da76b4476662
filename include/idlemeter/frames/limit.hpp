// Idle Meter: what held the frame rate back.
#pragma once

#include <array>
#include <cstdint>
#include <functional>
#include <optional>
#include <span>
#include <string_view>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"

namespace idlemeter {

enum class Limit : std::uint8_t {
  graphics,   ///< the GPU worked nearly all of the time
  processor,  ///< the GPU waited
  mixed,      ///< in between, or both by turns
  cap,        ///< frames came at a constant pace although the GPU had time left: a limiter, or vertical sync
  unknown
};

inline constexpr Limit kLimits[] = {Limit::graphics, Limit::processor, Limit::mixed, Limit::cap, Limit::unknown};

/// "graphics card", "processor", "mixed", "rate cap", "unknown".
[[nodiscard]] std::string_view name_of(Limit limit);

/// One second of play.
struct LimitedSecond {
  Moment begin{};
  Limit by = Limit::unknown;
  std::optional<double> gpu_share = {};  ///< median of GPU work over frame time, 0 to 1; empty if it isn't known
};

struct Limits {
  std::vector<LimitedSecond> seconds;  ///< the last one may be shorter
  std::array<double, 5> shares{};      ///< of the play, by Limit: 0 to 1, together 1; all 0 without frames

  [[nodiscard]] double share(Limit limit) const { return shares[static_cast<std::size_t>(limit)]; }

  /// The limit of most of the play; unknown without frames.
  [[nodiscard]] Limit main() const;
};

/// The GPU's load at a moment, in percent; empty if it isn't known.
using LoadAt = std::function<std::optional<double>(Moment at)>;

/// What limited each second of play. With GPU work times (of at least half of a second's frames) a second is limited by
/// the graphics card if the median of work / frame time is at least 0.95, and by the processor if it is under 0.80.
/// Without, `load` decides: graphics from 97 %, processor under 80 %; that is weaker evidence. A second whose frame
/// times lie within 3 % of their median, but for one in twenty, is capped unless the graphics card limits it. O(n).
[[nodiscard]] Limits find_limits(std::span<const FrameRecord> frames, const LoadAt& load = {});

}  // namespace idlemeter
