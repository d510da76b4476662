#include "runs/store_file.hpp"

#include <fmt/format.h>

#include <cctype>
#include <string>
#include <string_view>

#include "idlemeter/base/error.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter::runs {
namespace {

namespace fs = std::filesystem;

constexpr std::int64_t kApplication = 0x49444C4D;  // "IDLM"
constexpr std::int64_t kVersion = 3;

// docs/store.md explains every column.
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
UPDATE run SET frames = (SELECT CAST(total(frames) AS INTEGER) FROM frame_chunk WHERE run = run.id),
  length_ns = (SELECT CAST(total(length_ns) AS INTEGER) FROM frame_chunk WHERE run = run.id) WHERE finished = 1;
UPDATE run SET uuid = 'old ' || started || ' ' || game || ' ' ||
  (SELECT CAST(total(frames) AS INTEGER) || ' ' || CAST(total(length_ns) AS INTEGER) FROM frame_chunk WHERE run = run.id);
CREATE INDEX run_by_uuid ON run (uuid);
)sql";

/// SQLite would take an empty file, or make a file that is not there; both are refused where the store should exist.
std::string checked(const fs::path& path, Store::Mode mode) {
  std::error_code failed;
  const fs::file_status status = fs::status(path, failed);
  if (fs::is_directory(status))
    throw Error(Error::Code::unreadable, "is a folder, not a store", path.string(), "name a file with --store");
  if (fs::exists(status) && !fs::is_regular_file(status))
    throw Error(Error::Code::unreadable, "is not a regular file", path.string(), "name a file with --store");
  if (mode == Store::Mode::existing && !fs::exists(status)) {
    throw Error(Error::Code::not_found, "there is no store here", path.string(),
                "record a run first, or name another file with --store");
  }
  if (mode == Store::Mode::create && path.has_parent_path()) {
    fs::create_directories(path.parent_path(), failed);
    if (failed)
      throw Error(Error::Code::unwritable, "cannot make the folder: " + failed.message(), path.parent_path().string());
  }
  return path.string();
}

/// Looks into the file; an empty one becomes a store in Mode::create.
void check_or_make(Database& database, const std::string& path, Store::Mode mode) {
  database.run("PRAGMA foreign_keys = ON");
  database.run("BEGIN");  // the three answers belong together: another program may be making the store
  const std::int64_t application = database.number("PRAGMA application_id");
  const std::int64_t version = database.number("PRAGMA user_version");
  const bool empty = database.number("SELECT count(*) FROM sqlite_master") == 0;
  database.run("COMMIT");
  if (application != kApplication && (!empty || mode == Store::Mode::existing)) {
    throw Error(Error::Code::unreadable,
                empty ? "an empty file, not an Idle Meter store" : "a SQLite file, but not an Idle Meter store", path,
                "name another file with --store");
  }
  if (version > kVersion) {
    throw Error(
        Error::Code::newer,
        fmt::format("made by a newer Idle Meter (store version {}, this one reads up to {})", version, kVersion), path,
        "update Idle Meter");
  }
  if (version == kVersion || (version > 0 && !database.is_writable())) return;  // an older one can be read as it is
  database.run("PRAGMA journal_mode = WAL");
  database.run("BEGIN IMMEDIATE");
  const std::int64_t now = database.number("PRAGMA user_version");  // another program may have been faster
  if (now == 0) database.run(kSchema);
  if (now < 2) database.run(kVersionTwo);
  if (now < 3) database.run(kVersionThree);
  database.run(fmt::format("PRAGMA application_id = {}; PRAGMA user_version = {}", kApplication, kVersion));
  database.run("COMMIT");
}

/// "a b?.db" -> "file:a%20b%3F.db?immutable=1" (RFC 3986)
std::string immutable_uri(const std::string& path) {
  std::string uri = "file:";
  for (unsigned char c : path) {
    const bool plain =
        std::isalnum(c) != 0 || std::string_view("/._-").find(static_cast<char>(c)) != std::string_view::npos;
    uri += plain ? std::string(1, static_cast<char>(c)) : fmt::format("%{:02X}", c);
  }
  return uri + "?immutable=1";
}

/// SQLite keeps two files beside a store while it is open. In a folder that can't be written to there is no place for
/// them, and nobody else can write to the store either.
bool wants_immutable(const Database& database, const std::string& path, Store::Mode mode) {
  const int code = database.error_code();
  std::error_code none;
  const bool has_log = fs::exists(path + "-wal", none) && fs::file_size(path + "-wal", none) > 0;
  return mode == Store::Mode::existing && (code == SQLITE_CANTOPEN || code == SQLITE_READONLY) && !has_log;
}

}  // namespace

std::unique_ptr<Database> open_store(const fs::path& file, Store::Mode mode, const LockWait& wait) {
  const std::string path = checked(file, mode);
  const int flags = SQLITE_OPEN_READWRITE | (mode == Store::Mode::create ? SQLITE_OPEN_CREATE : 0);
  auto database = std::make_unique<Database>(path, path, flags, wait);
  try {
    check_or_make(*database, path, mode);
  } catch (const Error&) {
    if (!wants_immutable(*database, path, mode)) throw;
    database = std::make_unique<Database>(immutable_uri(path), path, SQLITE_OPEN_READONLY | SQLITE_OPEN_URI, wait);
    check_or_make(*database, path, mode);
  }
  return database;
}

}  // namespace idlemeter::runs
