// Changes to a store's runs after they were recorded.
#include <fmt/chrono.h>
#include <fmt/format.h>

#include <algorithm>
#include <chrono>

#include "idlemeter/base/error.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"
#include "runs/recording/recording_mark.hpp"
#include "runs/store/store_state.hpp"
#include "runs/store/transaction.hpp"

namespace idlemeter {
namespace {

using namespace runs;

std::string utc_before(std::chrono::seconds ago) {
  const auto then = std::chrono::floor<std::chrono::seconds>(std::chrono::system_clock::now()) - ago;
  return fmt::format("{:%Y-%m-%dT%H:%M:%SZ}", fmt::gmtime(std::chrono::system_clock::to_time_t(then)));
}

void change_one(Database& database, std::int64_t id, const RunChange& change) {
  if (change.game) Statement(database, "UPDATE run SET game = ? WHERE id = ?").bind(*change.game, id).run();
  if (change.note) Statement(database, "UPDATE run SET note = ? WHERE id = ?").bind(*change.note, id).run();
  for (const std::string& tag : change.tags_to_drop)
    Statement(database, "DELETE FROM run_tag WHERE run = ? AND tag = ?").bind(id, tag).run();
  for (const std::string& tag : change.tags)
    Statement(database, "INSERT OR IGNORE INTO run_tag VALUES (?, ?)").bind(id, tag).run();
  for (const std::string& name : change.settings_to_drop)
    Statement(database, "DELETE FROM run_fact WHERE run = ? AND kind = ? AND name = ?").bind(id, kSetting, name).run();
  for (const std::string& name : change.facts_to_drop)
    Statement(database, "DELETE FROM run_fact WHERE run = ? AND kind = ? AND name = ?")
        .bind(id, kFactOfMachine, name)
        .run();
  for (const auto& [name, value] : change.settings)
    Statement(database, "INSERT OR REPLACE INTO run_fact VALUES (?, ?, ?, ?)").bind(id, kSetting, name, value).run();
}

/// An older store doesn't say who records.
bool may_be_recorded(Database& database, const RunInfo& info) {
  Statement row(database, "SELECT recorder FROM run WHERE id = ?");
  const std::string mark = row.bind(info.id).step() ? row.text(0) : "";
  return mark.empty() ? info.started > utc_before(std::chrono::hours(24)) : is_recording(mark);
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
    if (!info.finished && may_be_recorded(state_->database, info))
      throw Error(Error::Code::in_use, fmt::format("run {} isn't finished: it may still be recorded", id),
                  path().string(), "end the recording first");
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
                  "name a removed run", Error::Hint::list_removed);
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
