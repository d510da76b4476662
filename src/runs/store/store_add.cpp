// Copies of runs from one store to another.
#include <fmt/format.h>

#include "idlemeter/base/error.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"
#include "runs/run_time.hpp"
#include "runs/store/copies.hpp"
#include "runs/store/store_state.hpp"
#include "runs/store/transaction.hpp"

namespace idlemeter {
namespace {

using namespace runs;

/// Another store's tables beside one's own, as `other`.
class Attached {
 public:
  Attached(Database& database, const std::filesystem::path& file) : database_(database) {
    Statement(database, "ATTACH ? AS other").bind(std::filesystem::absolute(file).string()).run();
  }
  Attached(const Attached&) = delete;
  Attached& operator=(const Attached&) = delete;
  ~Attached() {
    try {
      database_.run("DETACH other");
    } catch (const Error&) {
      // It goes with the connection.
    }
  }

 private:
  Database& database_;
};

/// A run with all its rows; its new number. One without a mark of its own gets the one that RunInfo gives it.
std::int64_t copy_run(Database& database, const RunInfo& run) {
  Statement(database,
            "INSERT INTO main.run (game, started, note, finished, ended, lost, uuid, frames, length_ns) SELECT game, "
            "started, note, finished, ended, lost, ?, frames, length_ns FROM other.run WHERE id = ?")
      .bind(run.uuid, run.id)
      .run();
  const std::int64_t made = database.last_row();
  copy_rows(database, "other", run.id, made);
  return made;
}

void add_one(Database& database, const RunInfo& run, Copies& copies, Store::Added& added) {
  Transaction transaction(database);  // one each, so that recordings needn't wait for all of them
  const Extent there = extent_of(database, "other", run.id);
  const auto here = copies.find(run.uuid, run.started, there);
  std::int64_t changed = 0;
  if (!here) {
    changed = added.runs.emplace_back(copy_run(database, run));
    copies.add(changed);
  } else if (here->is_shorter) {
    changed = added.continued.emplace_back(here->id);
    continue_run(database, "other", run.id, changed);
  } else {
    ++added.already;
  }
  if (changed > 0 && !there.finished) added.unfinished.push_back(changed);
  transaction.commit();
}

/// SQLite doesn't say which of two stores is damaged.
bool is_whole(Database& database) {
  try {
    Statement check(database, "PRAGMA main.quick_check(1)");
    return check.step() && check.text(0) == "ok";
  } catch (const Error&) {
    return false;
  }
}

}  // namespace

Store::Added Store::add(const Store& from, std::span<const std::int64_t> ids) {
  if (from.state_->version != state_->version)
    throw Error(Error::Code::unwritable, "an older store, which can't be migrated where it is", from.path().string(),
                "copy it to a folder that you may write to");
  std::vector<RunInfo> wanted;
  for (const std::int64_t id : ids) wanted.push_back(from.run(id));
  if (ids.empty()) wanted = from.runs(Facts::none);
  for (const RunInfo& run : wanted) {
    if (run.problem.empty() && !is_run_time(run.started))
      throw Error(Error::Code::damaged,
                  fmt::format("the date of run {} isn't a time like 2026-03-01T20:15:00Z", run.id),
                  from.path().string(), "repair it: what can still be read is copied into a new store");
  }
  Added added;
  const Attached attached(state_->database, from.path());
  Copies copies(state_->database);
  for (const RunInfo& run : wanted) {
    if (!run.problem.empty()) throw Error(Error::Code::damaged, run.problem, from.path().string());
    try {
      add_one(state_->database, run, copies, added);
    } catch (const Error& error) {
      if (error.code() != Error::Code::damaged || !is_whole(state_->database)) throw;
      throw Error(Error::Code::damaged, "the store is damaged: a part of it can't be read", from.path().string(),
                  "repair it: what can still be read is copied into a new store");
    }
  }
  return added;
}

}  // namespace idlemeter
