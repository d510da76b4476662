// What the store and the recorder share.
#pragma once

#include "idlemeter/runs/store.hpp"
#include "runs/store/sqlite.hpp"

namespace idlemeter {

struct Store::State {
  State(const std::filesystem::path& path, Mode mode, const LockWait& wait);

  std::filesystem::path path;
  std::unique_ptr<runs::Database> opened;
  runs::Database& database;
  std::int64_t version = 0;  ///< of the schema: an older one if the file can't be written to
};

/// Marks in the `kind` column of run_fact.
inline constexpr std::int64_t kFactOfMachine = 0;
inline constexpr std::int64_t kSetting = 1;

}  // namespace idlemeter
