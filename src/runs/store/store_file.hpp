// The file behind a store: what it looks like, how it is made, migrated and opened.
#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>

#include "idlemeter/runs/store.hpp"
#include "runs/store/sqlite.hpp"

namespace idlemeter::runs {

/// Opens a store, made or migrated if need be; for reading alone if its folder can't be written to. Throws Error as
/// Store does.
[[nodiscard]] std::unique_ptr<Database> open_store(const std::filesystem::path& file, Store::Mode mode,
                                                   const LockWait& wait);

/// How many bytes its head says that the file has and that are gone: it was cut while it was copied. 0 of other files.
[[nodiscard]] std::uint64_t bytes_missing(const std::filesystem::path& file);

}  // namespace idlemeter::runs
