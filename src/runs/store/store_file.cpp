#include "runs/store/store_file.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cctype>
#include <fstream>
#include <string>
#include <string_view>

#include "idlemeter/base/error.hpp"
#include "idlemeter/runs/store.hpp"
#include "runs/store/store_schema.hpp"
#include "runs/store/transaction.hpp"

namespace idlemeter::runs {
namespace {

namespace fs = std::filesystem;

/// SQLite gives some names a meaning of its own: a database in memory, an address. A store is a file.
void expect_file_name(const fs::path& path) {
  const std::string name = path.string();
  if (name.empty()) throw Error(Error::Code::invalid, "a store needs the name of a file");
  if (name.starts_with(":") || name.starts_with("file:"))
    throw Error(Error::Code::invalid, "isn't the name of a file", name,
                "a store is a file: write ./ before such a name");
}

/// A new store is readable by its owner alone: names of games, arguments and habits are nobody else's business.
void make_private(const fs::path& path) {
  const int made = ::open(path.c_str(), O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC, 0600);
  if (made >= 0) ::close(made);  // else SQLite says why
}

/// SQLite would take an empty file, or make a file that is not there; both are refused where the store should exist.
std::string checked(const fs::path& named, Store::Mode mode) {
  expect_file_name(named);
  std::error_code failed;
  const fs::path path = fs::absolute(named);
  const fs::file_status status = fs::status(path, failed);
  if (fs::is_directory(status))
    throw Error(Error::Code::unreadable, "is a folder, not a store", named.string(), "name a file",
                Error::Hint::another_store);
  if (fs::exists(status) && !fs::is_regular_file(status))
    throw Error(Error::Code::unreadable, "is not a regular file", named.string(), "name a file",
                Error::Hint::another_store);
  if (mode == Store::Mode::existing && !fs::exists(status)) {
    throw Error(Error::Code::not_found, "there is no store here", named.string(),
                "record a run first, or name another file", Error::Hint::another_store);
  }
  if (mode == Store::Mode::create && path.has_parent_path()) {
    fs::create_directories(path.parent_path(), failed);
    if (failed)
      throw Error(Error::Code::unwritable, "cannot make the folder: " + failed.message(), named.parent_path().string());
    if (!fs::exists(status)) make_private(path);
  }
  return path.string();
}

/// The version of a file that is a store; 0 of an empty one.
std::int64_t version_of(Database& database, const std::string& path, Store::Mode mode) {
  database.run("BEGIN");  // the answers belong together: another program may be making the store
  const std::int64_t application = database.number("PRAGMA application_id");
  const std::int64_t version = database.number("PRAGMA user_version");
  const bool empty = database.number("SELECT count(*) FROM sqlite_master") == 0;
  if (application != kApplication && (!empty || mode == Store::Mode::existing)) {
    throw Error(Error::Code::unreadable,
                empty ? "an empty file, not an Idle Meter store" : "a SQLite file, but not an Idle Meter store", path,
                "name another file", Error::Hint::another_store);
  }
  if (version > kVersion) {
    throw Error(
        Error::Code::newer,
        fmt::format("made by a newer Idle Meter (store version {}, this one reads up to {})", version, kVersion), path,
        "update Idle Meter");
  }
  if (application == kApplication && version < 1)
    throw Error(Error::Code::damaged, "the store is damaged: it doesn't say its version", path);
  if (version > 0) expect_known_tables(database, version, path);
  database.run("COMMIT");
  return version;
}

/// Checks the file. Mode::create turns an empty file into a store. A failed migration leaves the file unchanged.
void check_or_make(Database& database, const std::string& path, Store::Mode mode) {
  database.run("PRAGMA foreign_keys = ON");
  const std::int64_t version = version_of(database, path, mode);
  if (version == kVersion || (version > 0 && !database.is_writable())) return;  // an older one can be read as it is
  // Several programs may write to a new store from its first moment on.
  if (version == 0) database.run("PRAGMA journal_mode = WAL");
  Transaction making(database);
  const std::int64_t now = database.number("PRAGMA user_version");  // another program may have been faster
  if (now < kVersion) migrate(database, now);
  making.commit();
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

/// True if the files that SQLite keeps beside an open store can't be made: the folder is read-only, or the disk is
/// full.
bool lacks_place(const Database& database) {
  constexpr int kPrimary = 0xff;
  const int code = database.error_code() & kPrimary;
  return code == SQLITE_CANTOPEN || code == SQLITE_READONLY || code == SQLITE_IOERR || code == SQLITE_FULL;
}

bool has_log(const std::string& path) {
  std::error_code none;
  return fs::exists(path + "-wal", none) && fs::file_size(path + "-wal", none) > 0;
}

/// Opens a store to read it without files beside it. A log that is there is read by the only reader, who needs no index
/// of it in a file; without one nobody can be writing to the store.
std::unique_ptr<Database> open_alone(const std::string& path, const fs::path& file, const LockWait& wait) {
  if (!has_log(path))
    return std::make_unique<Database>(immutable_uri(path), file.string(), SQLITE_OPEN_READONLY | SQLITE_OPEN_URI, wait);
  auto database = std::make_unique<Database>(path, file.string(), SQLITE_OPEN_READWRITE, wait);
  database->run("PRAGMA locking_mode = EXCLUSIVE");
  return database;
}

std::uint64_t big_endian(std::span<const unsigned char> bytes) {
  std::uint64_t value = 0;
  for (const unsigned char byte : bytes) value = value << 8 | byte;
  return value;
}

}  // namespace

std::uint64_t bytes_missing(const fs::path& file) {
  unsigned char head[100] = {};
  std::ifstream in(file, std::ios::binary);
  if (!in.read(reinterpret_cast<char*>(head), sizeof head) ||
      std::string_view("SQLite format 3") != reinterpret_cast<char*>(head))
    return 0;
  const auto number = [&](std::size_t at, std::size_t bytes) { return big_endian({head + at, bytes}); };
  // https://www.sqlite.org/fileformat2.html: the size in pages holds if it is of the last change.
  const std::uint64_t page = number(16, 2) == 1 ? 65'536 : number(16, 2), pages = number(28, 4);
  std::error_code failed;
  const std::uint64_t size = fs::file_size(file, failed);
  const bool holds = number(24, 4) == number(92, 4);
  return !failed && holds && pages * page > size ? pages * page - size : 0;
}

std::unique_ptr<Database> open_store(const fs::path& file, Store::Mode mode, const LockWait& wait) {
  const std::string path = checked(file, mode);
  const int flags = SQLITE_OPEN_READWRITE | (mode == Store::Mode::create ? SQLITE_OPEN_CREATE : 0);
  auto database = std::make_unique<Database>(path, file.string(), flags, wait);
  try {
    check_or_make(*database, file.string(), mode);
  } catch (const Error&) {
    if (mode != Store::Mode::existing || !lacks_place(*database)) throw;
    database.reset();  // its locks would keep the next from reading alone
    database = open_alone(path, file, wait);
    check_or_make(*database, file.string(), mode);
  }
  return database;
}

}  // namespace idlemeter::runs
