#include "runs/store/store_schema.hpp"

#include <fmt/format.h>

#include <array>
#include <map>
#include <mutex>

#include "idlemeter/base/error.hpp"

namespace idlemeter::runs {
namespace {

constexpr const char* kSchema = R"sql(
CREATE TABLE run (
  id INTEGER PRIMARY KEY AUTOINCREMENT, game TEXT NOT NULL, started TEXT NOT NULL, note TEXT NOT NULL,
  finished INTEGER NOT NULL DEFAULT 0);
CREATE TABLE run_tag (run INTEGER NOT NULL REFERENCES run(id) ON DELETE CASCADE, tag TEXT NOT NULL, PRIMARY KEY (run, tag))
  WITHOUT ROWID;
CREATE TABLE run_fact (
  run INTEGER NOT NULL REFERENCES run(id) ON DELETE CASCADE, kind INTEGER NOT NULL, name TEXT NOT NULL, value TEXT NOT NULL,
  PRIMARY KEY (run, kind, name)) WITHOUT ROWID;
CREATE TABLE frame_chunk (
  run INTEGER NOT NULL REFERENCES run(id) ON DELETE CASCADE, place INTEGER NOT NULL, start_ns INTEGER NOT NULL,
  frames INTEGER NOT NULL, length_ns INTEGER NOT NULL, intervals_ns BLOB NOT NULL, gpu_work_ns BLOB NOT NULL,
  PRIMARY KEY (run, place));
CREATE TABLE run_reading (
  run INTEGER NOT NULL REFERENCES run(id) ON DELETE CASCADE, place INTEGER NOT NULL, id TEXT NOT NULL, title TEXT NOT NULL,
  brief TEXT NOT NULL, device TEXT NOT NULL, kind TEXT NOT NULL, unit TEXT NOT NULL, digits INTEGER NOT NULL,
  text INTEGER NOT NULL, source TEXT NOT NULL, PRIMARY KEY (run, place));
CREATE TABLE sample (
  run INTEGER NOT NULL REFERENCES run(id) ON DELETE CASCADE, place INTEGER NOT NULL, at_ns INTEGER NOT NULL,
  numbers BLOB NOT NULL, PRIMARY KEY (run, place));
CREATE TABLE sample_text (
  run INTEGER NOT NULL REFERENCES run(id) ON DELETE CASCADE, reading INTEGER NOT NULL, at_ns INTEGER NOT NULL,
  text TEXT NOT NULL);
CREATE INDEX sample_text_by_run ON sample_text (run, reading, at_ns);
)sql";

// From version 1 to 2, also of a new store.
constexpr const char* kVersionTwo = R"sql(
ALTER TABLE run_reading ADD COLUMN alias TEXT NOT NULL DEFAULT '';
ALTER TABLE frame_chunk ADD COLUMN packed INTEGER NOT NULL DEFAULT 0;
CREATE TABLE sample_block (
  run INTEGER NOT NULL REFERENCES run(id) ON DELETE CASCADE, place INTEGER NOT NULL, samples INTEGER NOT NULL,
  readings INTEGER NOT NULL, packed BLOB NOT NULL, PRIMARY KEY (run, place));
)sql";

// From version 2 to 3.
constexpr const char* kVersionThree = R"sql(
ALTER TABLE run ADD COLUMN ended TEXT NOT NULL DEFAULT '';
ALTER TABLE run ADD COLUMN lost INTEGER NOT NULL DEFAULT 0;
ALTER TABLE run ADD COLUMN uuid TEXT NOT NULL DEFAULT '';
ALTER TABLE run ADD COLUMN removed TEXT NOT NULL DEFAULT '';
ALTER TABLE run ADD COLUMN frames INTEGER;
ALTER TABLE run ADD COLUMN length_ns INTEGER;
CREATE INDEX run_by_uuid ON run (uuid);
)sql";

constexpr const char* kFillVersionThree = R"sql(
UPDATE run SET frames = (SELECT CAST(total(frames) AS INTEGER) FROM frame_chunk WHERE run = run.id),
  length_ns = (SELECT CAST(total(length_ns) AS INTEGER) FROM frame_chunk WHERE run = run.id) WHERE finished = 1;
UPDATE run SET uuid = 'old ' || started || ' ' || game || ' ' ||
  (SELECT CAST(total(frames) AS INTEGER) || ' ' || CAST(total(length_ns) AS INTEGER) FROM frame_chunk WHERE run = run.id);
)sql";

// From version 3 to 4: which process records a run that isn't finished.
constexpr const char* kVersionFour = R"sql(
ALTER TABLE run ADD COLUMN recorder TEXT NOT NULL DEFAULT '';
)sql";

// From version 4 to 5: what was worked out of a run.
constexpr const char* kVersionFive = R"sql(
CREATE TABLE run_result (
  run INTEGER NOT NULL REFERENCES run(id) ON DELETE CASCADE, question TEXT NOT NULL, definition INTEGER NOT NULL,
  frames INTEGER NOT NULL, length_ns INTEGER NOT NULL, lost INTEGER NOT NULL, ended TEXT NOT NULL, result BLOB NOT NULL,
  PRIMARY KEY (run, question));
)sql";

using Tables = std::map<std::string, std::string>;  // "table run" and how it was made

/// SQL without what may differ between two ways to the same table: white space.
std::string without_spaces(const std::string& sql) {
  std::string text;
  for (const char c : sql) {
    if (c != ' ' && c != '\n' && c != '\t' && c != '\r') text += c;
  }
  return text;
}

/// All that the file holds, but for what SQLite makes by itself: its indexes of keys, sequences and statistics.
Tables tables_of(Database& database) {
  constexpr std::size_t kMost = 100;  // a store has a dozen
  Tables tables;
  Statement rows(database, "SELECT type, name, sql FROM sqlite_master LIMIT 101");
  while (rows.step() && tables.size() <= kMost) {
    const std::string type = rows.text(0), name = rows.text(1);
    const bool is_own = name.starts_with("sqlite_") && (type == "table" || type == "index");
    if (!is_own) tables.emplace(type + " " + name, without_spaces(rows.text(2)));
  }
  return tables;
}

const Tables& known_tables(std::int64_t version) {
  static std::mutex mutex;
  static std::array<Tables, kVersion + 1> known;
  const std::lock_guard lock(mutex);
  Tables& tables = known.at(static_cast<std::size_t>(version));
  if (tables.empty()) {
    Database made(":memory:", "a store's tables", SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE | SQLITE_OPEN_MEMORY, {});
    made.run(kSchema);
    if (version >= 2) made.run(kVersionTwo);
    if (version >= 3) made.run(kVersionThree);
    if (version >= 4) made.run(kVersionFour);
    if (version >= 5) made.run(kVersionFive);
    tables = tables_of(made);
  }
  return tables;
}

}  // namespace

void migrate(Database& database, std::int64_t from, bool fills) {
  if (from < 1) database.run(kSchema);
  if (from < 2) database.run(kVersionTwo);
  if (from < 3) database.run(kVersionThree);
  if (from < 3 && fills) database.run(kFillVersionThree);
  if (from < 4) database.run(kVersionFour);
  if (from < 5) database.run(kVersionFive);
  database.run(fmt::format("PRAGMA application_id = {}; PRAGMA user_version = {}", kApplication, kVersion));
}

void expect_known_tables(Database& database, std::int64_t version, const std::string& where) {
  const Tables found = tables_of(database);
  const Tables& known = known_tables(version);
  const auto refuse = [&](const std::string& what) {
    throw Error(Error::Code::unreadable, fmt::format("isn't a store that Idle Meter made: {}", what), where,
                "name another file");
  };
  for (const auto& [name, sql] : found) {
    const auto expected = known.find(name);
    if (expected == known.end()) refuse("it holds the " + name);
    if (expected->second != sql) refuse("its " + name + " has other columns");
  }
  for (const auto& [name, sql] : known) {
    if (!found.contains(name)) refuse("it has no " + name);
  }
}

}  // namespace idlemeter::runs
