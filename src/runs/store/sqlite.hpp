// SQLite behind types of ours.
#pragma once

#include <sqlite3.h>

#include <algorithm>
#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter::runs {

/// An open database. Every call of it and of its statements throws Error with the file's name. Doesn't move: SQLite
/// keeps its address.
class Database {
 public:
  /// `path` may be a URI if the flags say so; `name` is what errors call it.
  Database(const std::string& path, std::string name, int flags, LockWait wait);
  Database(const Database&) = delete;
  Database& operator=(const Database&) = delete;

  void run(const std::string& sql);

  /// Begins a transaction that writes. Throws Error (moved) if the file isn't where it was opened: it was replaced,
  /// renamed or removed. What was committed is in the file that was moved then, and nothing of it is left where another
  /// store may be now.
  void begin();
  [[nodiscard]] std::int64_t number(const std::string& sql);
  [[nodiscard]] std::int64_t last_row() const { return sqlite3_last_insert_rowid(handle_.get()); }
  [[nodiscard]] sqlite3* handle() const { return handle_.get(); }
  [[noreturn]] void fail() const;

  /// The next statement may take as many steps as the file's size allows.
  void restart_steps() { steps_ = 0; }

  [[nodiscard]] bool in_transaction() const { return sqlite3_get_autocommit(handle_.get()) == 0; }
  [[nodiscard]] bool is_writable() const { return sqlite3_db_readonly(handle_.get(), "main") == 0; }

  /// SQLite's result code of the last call that failed.
  [[nodiscard]] int error_code() const { return sqlite3_errcode(handle_.get()); }

 private:
  static int wait_for_lock(void* self, int tries);
  static int count_steps(void* self);
  [[nodiscard]] std::uint64_t steps_allowed() const;
  void trust_nothing();

  std::string name_;
  LockWait wait_;
  Moment waiting_since_{};
  std::uint64_t steps_ = 0;
  std::unique_ptr<sqlite3, decltype(&sqlite3_close_v2)> handle_{nullptr, &sqlite3_close_v2};
};

/// Bytes to bind as a blob.
struct Blob {
  std::string_view bytes;
};

/// A prepared statement: `bind(…)` all parameters, then step() until it is false.
class Statement {
 public:
  Statement(Database& database, std::string_view sql);

  template <typename... Arguments>
  Statement& bind(const Arguments&... arguments) {
    sqlite3_reset(handle_.get());
    database_.restart_steps();
    int place = 0;
    (put(++place, arguments), ...);
    return *this;
  }

  /// Binds `count` columns of another statement's row, whatever they hold.
  Statement& copy(const Statement& row, int first, int count);

  /// False if there is no further row.
  bool step();
  void run() {
    while (step()) {
    }
  }

  [[nodiscard]] std::int64_t integer(int column) const { return sqlite3_column_int64(handle_.get(), column); }
  [[nodiscard]] Nanoseconds nanoseconds(int column) const { return Nanoseconds(integer(column)); }
  [[nodiscard]] Moment moment(int column) const { return Moment{nanoseconds(column)}; }
  [[nodiscard]] bool is_null(int column) const { return sqlite3_column_type(handle_.get(), column) == SQLITE_NULL; }
  [[nodiscard]] double real(int column) const { return sqlite3_column_double(handle_.get(), column); }
  [[nodiscard]] std::string text(int column) const;

  /// The blob's bytes as elements; valid until the next step. Bytes beyond a whole number of elements don't count.
  template <typename Element>
  [[nodiscard]] std::vector<Element> blob(int column) const {
    const auto* data = static_cast<const unsigned char*>(sqlite3_column_blob(handle_.get(), column));
    const auto bytes = static_cast<std::size_t>(sqlite3_column_bytes(handle_.get(), column));
    std::vector<Element> elements(bytes / sizeof(Element));
    if (!elements.empty())
      std::copy_n(data, elements.size() * sizeof(Element), reinterpret_cast<unsigned char*>(elements.data()));
    return elements;
  }

 private:
  void put(int place, std::int64_t value);
  void put(int place, Nanoseconds length) { put(place, std::int64_t{length.count()}); }
  void put(int place, Moment at) { put(place, at.time_since_epoch()); }
  void put(int place, const std::string& text);
  template <typename Element>
  void put(int place, const std::vector<Element>& elements) {
    put_bytes(place, elements.data(), elements.size() * sizeof(Element));
  }
  void put(int place, Blob blob) { put_bytes(place, blob.bytes.data(), blob.bytes.size()); }
  void put_bytes(int place, const void* data, std::size_t bytes);
  void check(int result) const;

  Database& database_;
  std::unique_ptr<sqlite3_stmt, decltype(&sqlite3_finalize)> handle_{nullptr, &sqlite3_finalize};
};

}  // namespace idlemeter::runs
