// What the heading of a frame log's column says.
#pragma once

#include <cstdint>
#include <optional>
#include <string>

#include "idlemeter/runs/frame_log.hpp"

namespace idlemeter::runs {

/// A heading without its unit, spaces and signs: "Frame time (ms)" -> "frametime".
struct Heading {
  std::string core;
  std::optional<LogUnit> unit;
};

/// Of a frame rate, the core is "fps" in any wording.
[[nodiscard]] Heading read_heading(const std::string& text);

enum class Role : std::uint8_t { none, frame_time, maybe_frame_time, time, gpu_work, split };

[[nodiscard]] Role role_of(const Heading& heading);

}  // namespace idlemeter::runs
