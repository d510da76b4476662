// The tables of a store, by version. docs/store.md explains every column.
#pragma once

#include <cstdint>
#include <string>

#include "runs/store/sqlite.hpp"

namespace idlemeter::runs {

inline constexpr std::int64_t kApplication = 0x49444C4D;  // "IDLM"
inline constexpr std::int64_t kVersion = 5;

/// Makes the tables, or migrates those of an older version, in the open transaction. With `fills`, new columns get
/// their values from what is there; without, a damaged store can be migrated too.
void migrate(Database& database, std::int64_t from, bool fills = true);

/// Throws Error unless the file has exactly the tables and indexes of that version: no views, triggers, virtual tables
/// or generated columns, which would run somebody else's code. `where` names the file.
void expect_known_tables(Database& database, std::int64_t version, const std::string& where);

}  // namespace idlemeter::runs
