// What changes a store's runs after they were recorded.
#include <fmt/chrono.h>
#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <set>

#include "idlemeter/base/error.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"
#include "runs/store_state.hpp"

namespace idlemeter {
namespace {

using namespace runs;

std::string utc_before(std::chrono::seconds ago) {
  const auto then = std::chrono::floor<std::chrono::seconds>(std::chrono::system_clock::now()) - ago;
  return fmt::format("{:%Y-%m-%dT%H:%M:%SZ}", fmt::gmtime(std::chrono::system_clock::to_time_t(then)));
}

/// Rolled back unless it is committed.
class Transaction {
 public:
  explicit Transaction(Database& database) : database_(database) { database_.run("BEGIN IMMEDIATE"); }
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

void change_one(Database& database, std::int64_t id, const RunChange& change) {
  if (change.game) Statement(database, "UPDATE run SET game = ? WHERE id = ?").bind(*change.game, id).run();
  if (change.note) Statement(database, "UPDATE run SET note = ? WHERE id = ?").bind(*change.note, id).run();
  for (const std::string& tag : change.tags_to_drop)
    Statement(database, "DELETE FROM run_tag WHERE run = ? AND tag = ?").bind(id, tag).run();
  for (const std::string& tag : change.tags)
    Statement(database, "INSERT OR IGNORE INTO run_tag VALUES (?, ?)").bind(id, tag).run();
  for (const std::string& name : change.settings_to_drop)
    Statement(database, "DELETE FROM run_fact WHERE run = ? AND kind = ? AND name = ?").bind(id, kSetting, name).run();
  for (const auto& [name, value] : change.settings)
    Statement(database, "INSERT OR REPLACE INTO run_fact VALUES (?, ?, ?, ?)").bind(id, kSetting, name, value).run();
}

/// Another store's tables beside one's own, as `other`.
class Attached {
 public:
  Attached(Database& database, const std::string& file) : database_(database) {
    Statement(database, "ATTACH ? AS other").bind(file).run();
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

/// A run with all its rows, as they are; its new number.
std::int64_t copy_run(Database& database, std::int64_t id) {
  Statement(
      database,
      "INSERT INTO run (game, started, note, finished, ended, lost, uuid, frames, length_ns) SELECT game, started, "
      "note, finished, ended, lost, uuid, frames, length_ns FROM other.run WHERE id = ?")
      .bind(id)
      .run();
  const std::int64_t made = database.last_row();
  const std::pair<const char*, const char*> kTables[] = {
      {"run_tag", "tag"},
      {"run_fact", "kind, name, value"},
      {"frame_chunk", "place, start_ns, frames, length_ns, intervals_ns, gpu_work_ns, packed"},
      {"run_reading", "place, id, title, brief, device, kind, unit, digits, text, source, alias"},
      {"sample", "place, at_ns, numbers"},
      {"sample_block", "place, samples, readings, packed"},
      {"sample_text", "reading, at_ns, text"}};
  for (const auto& [table, columns] : kTables) {
    Statement(database,
              fmt::format("INSERT INTO {0} (run, {1}) SELECT ?, {1} FROM other.{0} WHERE run = ?", table, columns))
        .bind(made, id)
        .run();
  }
  return made;
}

}  // namespace

void Store::change(std::span<const std::int64_t> ids, const RunChange& change) {
  Transaction transaction(state_->database);
  for (const std::int64_t id : ids) {
    (void)run(id);
    change_one(state_->database, id, change);
  }
  transaction.commit();
}

void Store::remove(std::span<const std::int64_t> ids) {
  Transaction transaction(state_->database);
  for (const std::int64_t id : ids) {
    const RunInfo info = run(id);
    if (!info.finished && info.started > utc_before(std::chrono::hours(24)))
      throw Error(Error::Code::in_use, fmt::format("run {} isn't finished: it may still be recorded", id),
                  path().string(), "end the recording, or wait for a day if its meter was killed");
    Statement(state_->database, "UPDATE run SET removed = ? WHERE id = ?")
        .bind(utc_before(std::chrono::seconds(0)), id)
        .run();
  }
  transaction.commit();
}

void Store::restore(std::span<const std::int64_t> ids) {
  Transaction transaction(state_->database);
  for (const std::int64_t id : ids) {
    Statement is_there(state_->database, "SELECT count(*) FROM run WHERE id = ? AND removed <> ''");
    if (!is_there.bind(id).step() || is_there.integer(0) == 0)
      throw Error(Error::Code::not_found, fmt::format("no removed run is {}", id), path().string(),
                  "'idlemeter runs --removed' lists them");
    Statement(state_->database, "UPDATE run SET removed = '' WHERE id = ?").bind(id).run();
  }
  transaction.commit();
}

std::size_t Store::compact() {
  Transaction transaction(state_->database);
  const std::int64_t count = state_->database.number("SELECT count(*) FROM run WHERE removed <> ''");
  state_->database.run("DELETE FROM run WHERE removed <> ''");
  transaction.commit();
  state_->database.run("VACUUM; PRAGMA wal_checkpoint(TRUNCATE)");
  return static_cast<std::size_t>(count);
}

Store::Added Store::add(const Store& from, std::span<const std::int64_t> ids) {
  if (from.state_->version != state_->version)
    throw Error(Error::Code::unwritable, "an older store, which can't be migrated where it is", from.path().string(),
                "copy it to a folder that you may write to");
  std::vector<std::int64_t> wanted(ids.begin(), ids.end());
  for (const std::int64_t id : wanted) (void)from.run(id);
  if (ids.empty()) {
    for (const RunInfo& run : from.runs(Facts::none)) wanted.push_back(run.id);
  }
  Added added;
  const Attached attached(state_->database, from.path().string());
  for (const std::int64_t id : wanted) {
    Transaction transaction(state_->database);  // one each, so that recordings needn't wait for all of them
    Statement is_there(state_->database,
                       "SELECT count(*) FROM main.run WHERE uuid = (SELECT uuid FROM other.run WHERE id = ?)");
    if (is_there.bind(id).step() && is_there.integer(0) > 0) {
      ++added.already;
    } else {
      added.runs.push_back(copy_run(state_->database, id));
    }
    transaction.commit();
  }
  return added;
}

std::vector<std::string> Store::check() const {
  std::vector<std::string> problems;
  Statement integrity(state_->database, "PRAGMA integrity_check(20)");
  while (integrity.step()) {
    if (const std::string text = integrity.text(0); text != "ok") problems.push_back("the file: " + text);
  }
  for (const RunInfo& run : runs()) {
    try {
      if (!run.problem.empty()) throw Error(run.problem);
      const auto read = frames(run.id);
      (void)series(run.id);
      if (run.finished && read.size() != run.frames)
        problems.push_back(fmt::format("run {}: {} of {} frames can be read", run.id, read.size(), run.frames));
    } catch (const std::exception& error) {
      problems.push_back(fmt::format("run {}: {}", run.id, error.what()));
    }
  }
  return problems;
}

std::map<std::int64_t, std::uint64_t> Store::sizes() const {
  std::map<std::int64_t, std::uint64_t> sizes;
  const char* const kParts[] = {
      "SELECT run, sum(length(intervals_ns) + length(gpu_work_ns)) FROM frame_chunk GROUP BY run",
      "SELECT run, sum(length(numbers)) FROM sample GROUP BY run",
      "SELECT run, sum(length(packed)) FROM sample_block GROUP BY run",
      "SELECT run, sum(length(text)) FROM sample_text GROUP BY run"};
  for (const char* sql : kParts) {
    Statement part(state_->database,
                   state_->version < 2 && std::string_view(sql).find("block") != std::string_view::npos
                       ? "SELECT 0, 0 WHERE 0"
                       : sql);
    while (part.step())
      sizes[part.integer(0)] += static_cast<std::uint64_t>(std::max<std::int64_t>(0, part.integer(1)));
  }
  return sizes;
}

}  // namespace idlemeter
