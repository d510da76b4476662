// Idle Meter: runs as tables for spreadsheets and scripts.
#pragma once

#include <cstdint>
#include <span>
#include <string>

#include "idlemeter/runs/store.hpp"

namespace idlemeter {

// CSV (RFC 4180) in UTF-8, with a heading that names the units. Throws Error if there is no such run.

/// "run,presented (s),frame time (ms),GPU work (ms)" and a line for each frame, to the nanosecond. O(frames).
[[nodiscard]] std::string frames_csv(const Store& store, std::span<const std::int64_t> runs);

/// "run,at (s)" and a column for each reading of any of the runs; a line for each moment at which one of them was
/// sampled, texts where they change. O(samples * readings).
[[nodiscard]] std::string readings_csv(const Store& store, std::span<const std::int64_t> runs);

}  // namespace idlemeter
