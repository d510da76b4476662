#include "runs/store/sqlite.hpp"

#include <poll.h>

#include <filesystem>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter::runs {
namespace {

constexpr int kStepsAtOnce = 1'000'000;

}  // namespace

Database::Database(const std::string& path, std::string name, int flags, LockWait wait)
    : name_(std::move(name)), wait_(std::move(wait)) {
  sqlite3* opened = nullptr;
  // Nobody shares a connection between threads, so that SQLite needn't lock its own structures for each column.
  const int result = sqlite3_open_v2(path.c_str(), &opened, flags | SQLITE_OPEN_NOMUTEX, nullptr);
  handle_.reset(opened);
  if (result != SQLITE_OK) fail();
  sqlite3_busy_handler(opened, &wait_for_lock, this);
  trust_nothing();
}

/// A store may come from anybody: none of its SQL runs, and no row takes memory without a limit.
void Database::trust_nothing() {
  sqlite3* const opened = handle_.get();
  sqlite3_db_config(opened, SQLITE_DBCONFIG_DEFENSIVE, 1, nullptr);
  sqlite3_db_config(opened, SQLITE_DBCONFIG_TRUSTED_SCHEMA, 0, nullptr);
  sqlite3_db_config(opened, SQLITE_DBCONFIG_ENABLE_TRIGGER, 0, nullptr);
  sqlite3_db_config(opened, SQLITE_DBCONFIG_ENABLE_VIEW, 0, nullptr);
  sqlite3_limit(opened, SQLITE_LIMIT_LENGTH, static_cast<int>(limits::kStoreRow));
  sqlite3_progress_handler(opened, kStepsAtOnce, &count_steps, this);
  // A file that another program cuts short would end this one, if it were mapped.
  sqlite3_exec(opened, "PRAGMA mmap_size = 0; PRAGMA cell_size_check = ON", nullptr, nullptr, nullptr);
}

void Database::begin() {
  int moved = 0;
  sqlite3_file_control(handle_.get(), "main", SQLITE_FCNTL_HAS_MOVED, &moved);
  if (moved != 0) {
    // SQLite's log lies under the old name still: another store that is there now must not take it for its own.
    sqlite3_wal_checkpoint_v2(handle_.get(), "main", SQLITE_CHECKPOINT_TRUNCATE, nullptr, nullptr);
    throw Error(Error::Code::moved, "the store was moved, replaced or removed while it was in use", name_,
                "what was written until then is in the file that was moved");
  }
  run("BEGIN IMMEDIATE");
}

/// Pages that refer to each other in circles would keep a query busy for ever.
int Database::count_steps(void* self) {
  auto& database = *static_cast<Database*>(self);
  database.steps_ += kStepsAtOnce;
  return database.steps_ > limits::kStepsOfQuery && database.steps_ > database.steps_allowed() ? 1 : 0;
}

std::uint64_t Database::steps_allowed() const {
  std::uint64_t bytes = 0;
  for (const char* schema : {"main", "other"}) {
    const char* const file = sqlite3_db_filename(handle_.get(), schema);
    if (file == nullptr || *file == '\0') continue;
    for (const char* ending : {"", "-wal"}) {
      std::error_code none;
      const auto size = std::filesystem::file_size(file + std::string(ending), none);
      bytes += none ? 0 : size;
    }
  }
  return limits::kStepsOfQuery + limits::kStepsPerByte * bytes;
}

/// Another process commits for milliseconds at a time; one that holds its lock longer is waited for as long as was
/// said.
int Database::wait_for_lock(void* self, int tries) {
  constexpr int kTryEvery = 5;  // ms
  auto& database = *static_cast<Database*>(self);
  const Moment now = monotonic_now();
  if (tries == 0) database.waiting_since_ = now;
  if (now - database.waiting_since_ >= database.wait_.at_most) return 0;
  if (database.wait_.give_up && database.wait_.give_up()) return 0;
  ::poll(nullptr, 0, kTryEvery);
  return 1;
}

void Database::fail() const {
  const int code = sqlite3_errcode(handle_.get());
  const std::string problem = sqlite3_errmsg(handle_.get());
  if (code == SQLITE_NOTADB)
    throw Error(Error::Code::unreadable, "not an Idle Meter store (" + problem + ")", name_, "name another file",
                Error::Hint::another_store);
  if (code == SQLITE_CORRUPT)
    throw Error(Error::Code::damaged, "the store is damaged (" + problem + ")", name_,
                "repair it: what can still be read is copied into a new store");
  if (code == SQLITE_INTERRUPT)
    throw Error(Error::Code::damaged, "the store is damaged: there is no end to what it holds", name_);
  if (code == SQLITE_BUSY || code == SQLITE_LOCKED)
    throw Error(Error::Code::in_use, "another program has the store locked", name_, "end it, or try again later");
  if (code == SQLITE_FULL)
    throw Error(Error::Code::unwritable, "the disk is full", name_, "make room, or name a file elsewhere",
                Error::Hint::another_store);
  if (code == SQLITE_CANTOPEN)
    throw Error(Error::Code::unreadable, "cannot open the store (" + problem + ")", name_,
                "name a file in a folder that you may write to");
  if (code == SQLITE_READONLY)
    throw Error(Error::Code::unwritable, "the store can't be written to", name_,
                "allow it with 'chmod u+w', or name another", Error::Hint::another_store);
  throw Error(Error::Code::failed, problem, name_);
}

void Database::run(const std::string& sql) {
  restart_steps();
  if (sqlite3_exec(handle_.get(), sql.c_str(), nullptr, nullptr, nullptr) != SQLITE_OK) fail();
}

std::int64_t Database::number(const std::string& sql) {
  Statement statement(*this, sql);
  return statement.step() ? statement.integer(0) : 0;
}

Statement::Statement(Database& database, std::string_view sql) : database_(database) {
  sqlite3_stmt* prepared = nullptr;
  check(sqlite3_prepare_v2(database.handle(), sql.data(), static_cast<int>(sql.size()), &prepared, nullptr));
  handle_.reset(prepared);
}

void Statement::check(int result) const {
  if (result != SQLITE_OK) database_.fail();
}

Statement& Statement::copy(const Statement& row, int first, int count) {
  sqlite3_reset(handle_.get());
  database_.restart_steps();
  for (int i = 0; i < count; ++i)
    check(sqlite3_bind_value(handle_.get(), i + 1, sqlite3_column_value(row.handle_.get(), first + i)));
  return *this;
}

bool Statement::step() {
  const int result = sqlite3_step(handle_.get());
  if (result == SQLITE_ROW) return true;
  if (result != SQLITE_DONE) database_.fail();
  return false;
}

std::string Statement::text(int column) const {
  const auto* data = reinterpret_cast<const char*>(sqlite3_column_text(handle_.get(), column));
  return data == nullptr ? ""
                         : std::string(data, static_cast<std::size_t>(sqlite3_column_bytes(handle_.get(), column)));
}

void Statement::put(int place, std::int64_t value) { check(sqlite3_bind_int64(handle_.get(), place, value)); }

void Statement::put(int place, const std::string& text) {
  check(sqlite3_bind_text64(handle_.get(), place, text.data(), text.size(), SQLITE_TRANSIENT, SQLITE_UTF8));
}

void Statement::put_bytes(int place, const void* data, std::size_t bytes) {
  check(sqlite3_bind_blob64(handle_.get(), place, bytes == 0 ? "" : data, bytes, SQLITE_TRANSIENT));
}

}  // namespace idlemeter::runs
