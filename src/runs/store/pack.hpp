// Numbers in few bytes: what is kept of a run once it is a minute old.
#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/runs/run.hpp"

namespace idlemeter::runs {

/// What a run may unpack to: real frames and readings don't shrink without end, and a stranger's store may.
class RunBudget {
 public:
  RunBudget(std::string file, std::size_t numbers, std::size_t per_byte)
      : file_(std::move(file)), per_byte_(per_byte), allowed_(numbers) {}

  static RunBudget of_frames(const std::string& file) { return {file, limits::kFramesOfRun, 0}; }
  static RunBudget of_values(const std::string& file) { return {file, limits::kNumbersOfRun, limits::kValuesPerByte}; }

  /// Throws Error once the numbers of all rows together are more than a row of so many bytes can hold.
  void take(std::size_t numbers, std::size_t packed_bytes);

 private:
  std::string file_;
  std::size_t per_byte_;
  std::size_t used_ = 0, allowed_;
};

/// Lengths of time, exactly: differences from one to the next, the bytes of equal weight together, then zstd (RFC
/// 8878).
std::string pack(std::span<const Nanoseconds> lengths);

/// What pack() has packed. Throws Error, naming the file that it is of, if it isn't `count` lengths.
std::vector<Nanoseconds> unpack(std::string_view packed, std::size_t count, const std::string& file);

/// The same for samples, each number against the one before it in its column.
std::string pack(const RunSamples& block);

/// Throws Error likewise if it isn't so many samples of so many readings.
RunSamples unpack(std::string_view packed, std::size_t samples, std::size_t readings, const std::string& file);

/// Any bytes, by zstd with its checksum.
std::string pack_bytes(std::string_view bytes);

/// What pack_bytes() has packed. Throws Error if it isn't whole, or unpacks to more than 64 MiB.
std::string unpack_bytes(std::string_view packed);

}  // namespace idlemeter::runs
