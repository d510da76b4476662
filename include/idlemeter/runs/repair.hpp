// Idle Meter: what can still be read of a damaged store, as a new one.
#pragma once

#include <cstddef>
#include <filesystem>
#include <string>
#include <vector>

namespace idlemeter {

struct RepairedStore {
  std::size_t runs = 0;           ///< copied, with all or a part of what they had
  std::vector<std::string> lost;  ///< what couldn't be read, a sentence each: "run 3: 60 of 5,412 frames"
};

/// Copies what can still be read of the store `damaged` into a new one, run by run and row by row, with the numbers
/// that the runs have. Pages that are damaged or cut off are passed over. Nothing of the damaged one is changed.
/// O(bytes). Throws Error if `into` exists or can't be written, or if the store's first page, which says where
/// everything is, can't be read.
[[nodiscard]] RepairedStore repair_store(const std::filesystem::path& damaged, const std::filesystem::path& into);

/// What is wrong with a store and with its runs, a sentence each, also if it is too damaged to be opened; none if all
/// is well. Throws Error if there is no such store, or it can't be read. O(bytes).
[[nodiscard]] std::vector<std::string> problems_of_store(const std::filesystem::path& file);

}  // namespace idlemeter
