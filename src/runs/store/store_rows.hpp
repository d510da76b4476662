// A store's rows of frames and samples, each checked by itself. For stores of version 2 and later.
#pragma once

#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/runs/run.hpp"
#include "runs/store/pack.hpp"
#include "runs/store/sqlite.hpp"

namespace idlemeter::runs {

struct FrameChunk {
  Moment start{};
  std::vector<Nanoseconds> intervals, gpu_work;  ///< the latter as long, or empty
};

// The columns, in the order in which each function reads them.
inline constexpr const char* kChunkColumns = "start_ns, frames, length_ns, intervals_ns, gpu_work_ns, packed";
inline constexpr const char* kBlockColumns = "samples, readings, packed";
inline constexpr const char* kSampleColumns = "at_ns, numbers";

// `first` is the place of the first of its columns. Each throws Error (damaged) if the row's parts don't agree: counts,
// sums, checksums, possible times.

[[nodiscard]] FrameChunk read_chunk(const Statement& row, const std::string& file, RunBudget& budget, int first = 0);
[[nodiscard]] RunSamples read_block(const Statement& row, const std::string& file, RunBudget& budget, int first = 0);
[[nodiscard]] RunSamples read_sample(const Statement& row, const std::string& file, int first = 0);

}  // namespace idlemeter::runs
