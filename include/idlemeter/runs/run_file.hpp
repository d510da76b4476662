// Idle Meter: runs in a file of their own, for others to add to their stores.
#pragma once

#include <cstdint>
#include <filesystem>
#include <span>
#include <string>
#include <string_view>

#include "idlemeter/runs/frame_log.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {

/// What is handed on with a run.
struct ShareOptions {
  bool arguments = false;  ///< the words that the game was started with: see kArgumentsFact
};

/// Runs with everything they have but what isn't shared, as JSON; docs/schemas/runs.schema.json describes it. The same
/// runs give the same bytes, also from another store. O(bytes). Throws Error if there is no such run.
[[nodiscard]] std::string run_file(const Store& store, std::span<const std::int64_t> runs, ShareOptions share = {});

/// Whether these are the first bytes of such a file.
[[nodiscard]] bool is_run_file(std::string_view bytes);

/// Adds the runs of such a file that aren't there already, all or none. O(bytes). Throws Error naming `where` and the
/// place in it if it isn't one or holds what can't be.
Store::Added add_run_file(Store& into, std::string_view bytes, const std::string& where);

/// The same, read as a stream: O(bytes) in memory for its longest run. Throws Error likewise, and if it isn't a regular
/// file.
Store::Added add_run_file(Store& into, const std::filesystem::path& file);

/// Adds the runs of a store or of such a file; of a store only those with these numbers, if there are any. Throws Error
/// likewise, if numbers are given for a file, or if it is the store itself.
Store::Added add_runs(Store& into, const std::filesystem::path& from, std::span<const std::int64_t> runs = {});

/// Copies runs, or all, into a new store: whole also while something records into the one that they come from. Throws
/// Error if the file exists, or if there is no such run.
Store::Added copy_runs(const Store& from, const std::filesystem::path& to, std::span<const std::int64_t> runs = {},
                       ShareOptions share = {});

/// Adds the runs of a frame log, all or none, with these details; of several runs each gets its own value of the
/// column that they were split by, as a setting.
Store::Added add_frame_log(Store& into, const FrameLog& log, const RunDetails& details);

}  // namespace idlemeter
