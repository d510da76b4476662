#include "runs/store/copies.hpp"

#include <fmt/format.h>

#include "runs/recording/recording_mark.hpp"

namespace idlemeter::runs {
namespace {

struct Part {
  const char *table, *columns;
};

// Notes may have been changed since a run was copied; what was recorded only grows.
constexpr Part kNotes[] = {{"run_tag", "tag"}, {"run_fact", "kind, name, value"}};
constexpr Part kRecorded[] = {
    {"frame_chunk", "place, start_ns, frames, length_ns, intervals_ns, gpu_work_ns, packed"},
    {"run_reading", "place, id, title, brief, device, kind, unit, digits, text, source, alias"},
    {"sample", "place, at_ns, numbers"},
    {"sample_block", "place, samples, readings, packed"},
    {"sample_text", "reading, at_ns, text"}};

void copy_part(Database& database, const Part& part, const char* schema, std::int64_t from, std::int64_t to) {
  Statement(database, fmt::format("INSERT OR IGNORE INTO main.{0} (run, {1}) SELECT ?, {1} FROM {2}.{0} WHERE run = ?",
                                  part.table, part.columns, schema))
      .bind(to, from)
      .run();
}

bool is_recorded_now(Database& database, std::int64_t run) {
  Statement row(database, "SELECT recorder FROM main.run WHERE id = ?");
  return row.bind(run).step() && is_recording(row.text(0));
}

}  // namespace

Extent extent_of(Database& database, const char* schema, std::int64_t run) {
  Statement row(database,
                fmt::format("SELECT finished, (SELECT total(frames) FROM {0}.frame_chunk WHERE run = ?1), (SELECT "
                            "count(*) FROM {0}.sample WHERE run = ?1) + (SELECT total(samples) FROM {0}.sample_block "
                            "WHERE run = ?1) FROM {0}.run WHERE id = ?1",
                            schema));
  if (!row.bind(run).step()) return {};
  return {row.integer(0) != 0, row.integer(1), row.integer(2)};
}

void copy_rows(Database& database, const char* schema, std::int64_t from, std::int64_t to) {
  for (const Part& part : kNotes) copy_part(database, part, schema, from, to);
  for (const Part& part : kRecorded) copy_part(database, part, schema, from, to);
}

void continue_run(Database& database, const char* schema, std::int64_t from, std::int64_t here) {
  for (const Part& part : kRecorded)
    Statement(database, fmt::format("DELETE FROM main.{} WHERE run = ?", part.table)).bind(here).run();
  Statement(database, "DELETE FROM main.run_result WHERE run = ?").bind(here).run();
  copy_rows(database, schema, from, here);
  Statement(database,
            fmt::format("UPDATE main.run SET (finished, ended, lost, frames, length_ns) = (SELECT finished, ended, "
                        "lost, frames, length_ns FROM {0}.run WHERE id = ?1), note = CASE note WHEN '' THEN (SELECT "
                        "note FROM {0}.run WHERE id = ?1) ELSE note END WHERE id = ?2",
                        schema))
      .bind(from, here)
      .run();
}

std::optional<Copies::Copy> Copies::find(const std::string& uuid, const std::string& started, const Extent& there) {
  Statement rows(database_, "SELECT id FROM main.run WHERE uuid = ? AND started = ? ORDER BY id");
  for (rows.bind(uuid, started); rows.step();) {
    const std::int64_t id = rows.integer(0);
    const Extent here = extent_of(database_, "main", id);
    const bool may_grow = !here.finished || !there.finished;
    if (found_.contains(id) || (!may_grow && here != there)) continue;
    found_.insert(id);
    return Copy{id, there.is_beyond(here) && !is_recorded_now(database_, id)};
  }
  return std::nullopt;
}

}  // namespace idlemeter::runs
