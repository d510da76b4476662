// A change of a store that is made whole or not at all.
#pragma once

#include "idlemeter/base/error.hpp"
#include "runs/store/sqlite.hpp"

namespace idlemeter::runs {

/// Rolled back unless it is committed.
class Transaction {
 public:
  explicit Transaction(Database& database) : database_(database) { database_.begin(); }
  Transaction(const Transaction&) = delete;
  Transaction& operator=(const Transaction&) = delete;
  ~Transaction() {
    try {
      if (!done_) database_.run("ROLLBACK");
    } catch (const Error&) {
      // The database has rolled it back by itself, as on a full disk.
    }
  }

  void commit() {
    database_.run("COMMIT");
    done_ = true;
  }

 private:
  Database& database_;
  bool done_ = false;
};

}  // namespace idlemeter::runs
