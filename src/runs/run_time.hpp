// When a run was recorded, as stores and run files have it.
#pragma once

#include <string_view>

namespace idlemeter::runs {

/// True for a time in UTC like "2026-03-01T20:15:00Z" (RFC 3339) whose month, day, hour, minute and second exist.
[[nodiscard]] bool is_run_time(std::string_view text);

}  // namespace idlemeter::runs
