#include "idlemeter/store.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <bit>
#include <cmath>
#include <cstdlib>
#include <fstream>
#include <limits>

#include "idlemeter/error.hpp"
#include "readings/user_folder.hpp"
#include "runs/store_state.hpp"

namespace idlemeter {
namespace {

namespace fs = std::filesystem;

static_assert(std::endian::native == std::endian::little, "blobs hold little-endian numbers");

constexpr std::int64_t kApplication = 0x49444C4D;  // "IDLM"
constexpr std::int64_t kVersion = 1;

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

/// SQLite would take an empty file, or make a file that is not there; both are refused where the store should exist.
std::string checked(const fs::path& path, Store::Mode mode) {
  std::error_code failed;
  const fs::file_status status = fs::status(path, failed);
  if (fs::is_directory(status)) throw Error("is a folder, not a store", path.string(), "name a file with --store");
  if (mode == Store::Mode::existing && !fs::exists(status)) {
    throw Error("there is no store here", path.string(), "record a run first, or name another file with --store");
  }
  if (mode == Store::Mode::create && path.has_parent_path()) {
    fs::create_directories(path.parent_path(), failed);
    if (failed) throw Error("cannot make the folder: " + failed.message(), path.parent_path().string());
  }
  return path.string();
}

void open_or_make(sqlite::Database& database, const std::string& path) {
  database.run("PRAGMA foreign_keys = ON");
  const std::int64_t application = database.number("PRAGMA application_id");
  const std::int64_t version = database.number("PRAGMA user_version");
  const bool empty = database.number("SELECT count(*) FROM sqlite_master") == 0;
  if (!empty && application != kApplication) {
    throw Error("a SQLite file, but not an Idle Meter store", path, "name another file with --store");
  }
  if (version > kVersion) {
    throw Error(
        fmt::format("made by a newer Idle Meter (store version {}, this one reads up to {})", version, kVersion), path,
        "update Idle Meter");
  }
  if (version == kVersion) return;
  database.run("PRAGMA journal_mode = WAL");
  database.run("BEGIN IMMEDIATE");
  if (database.number("PRAGMA user_version") == 0) {  // nobody else was faster
    database.run(kSchema);
    database.run(fmt::format("PRAGMA application_id = {}; PRAGMA user_version = {}", kApplication, kVersion));
  }
  database.run("COMMIT");
}

RunDetails details_of(sqlite::Database& database, std::int64_t id, std::string game, std::string note) {
  RunDetails details{std::move(game), std::move(note), {}, {}, {}};
  sqlite::Statement tags(database, "SELECT tag FROM run_tag WHERE run = ? ORDER BY tag");
  for (tags.bind(id); tags.step();) details.tags.push_back(tags.text(0));
  sqlite::Statement facts(database, "SELECT kind, name, value FROM run_fact WHERE run = ?");
  for (facts.bind(id); facts.step();) {
    (facts.integer(0) == kSetting ? details.settings : details.facts).emplace(facts.text(1), facts.text(2));
  }
  return details;
}

constexpr const char* kSelectRuns =
    "SELECT run.id, game, started, note, finished, coalesce(sum(frames), 0), coalesce(sum(length_ns), 0) "
    "FROM run LEFT JOIN frame_chunk ON frame_chunk.run = run.id ";

RunInfo run_of(sqlite::Database& database, const sqlite::Statement& row) {
  RunInfo info;
  info.id = row.integer(0);
  info.started = row.text(2);
  info.finished = row.integer(4) != 0;
  info.frames = static_cast<std::uint64_t>(row.integer(5));
  info.length = row.integer(6);
  info.details = details_of(database, info.id, row.text(1), row.text(3));
  return info;
}

DeviceKind kind_from(std::string_view name) {
  for (int i = 0; i <= static_cast<int>(DeviceKind::own); ++i) {
    if (name_of(static_cast<DeviceKind>(i)) == name) return static_cast<DeviceKind>(i);
  }
  return DeviceKind::own;
}

}  // namespace

Store::State::State(const fs::path& file, Mode mode)
    : path(file),
      database(checked(file, mode), SQLITE_OPEN_READWRITE | (mode == Mode::create ? SQLITE_OPEN_CREATE : 0)) {
  open_or_make(database, path.string());
  // FULL: a commit is on the disk when it returns, so that a power cut loses no more than a crash does.
  database.run("PRAGMA synchronous = FULL");
}

Store::Store(const fs::path& path, Mode mode) : state_(std::make_unique<State>(path, mode)) {}
Store::Store(Store&&) noexcept = default;
Store& Store::operator=(Store&&) noexcept = default;
Store::~Store() = default;

fs::path Store::usual_path() { return user_folder("XDG_DATA_HOME", ".local/share") / "runs.db"; }

const fs::path& Store::path() const { return state_->path; }

std::vector<RunInfo> Store::runs() const {
  std::vector<RunInfo> runs;
  sqlite::Statement rows(state_->database, std::string(kSelectRuns) + "GROUP BY run.id ORDER BY run.id");
  while (rows.step()) runs.push_back(run_of(state_->database, rows));
  return runs;
}

RunInfo Store::run(std::int64_t id) const {
  sqlite::Statement row(state_->database, std::string(kSelectRuns) + "WHERE run.id = ? GROUP BY run.id");
  if (row.bind(id).step()) return run_of(state_->database, row);
  std::vector<std::int64_t> ids;
  for (const RunInfo& info : runs()) ids.push_back(info.id);
  throw Error(fmt::format("there is no run {}", id), path().string(),
              ids.empty() ? "the store has no runs yet" : fmt::format("the store has {}", fmt::join(ids, ", ")));
}

std::vector<FrameRecord> Store::frames(std::int64_t id) const {
  std::vector<FrameRecord> frames;
  sqlite::Statement chunks(state_->database,
                           "SELECT start_ns, intervals_ns, gpu_work_ns FROM frame_chunk WHERE run = ? ORDER BY place");
  for (chunks.bind(id); chunks.step();) {
    Nanoseconds at = chunks.integer(0);
    const auto intervals = chunks.blob<Nanoseconds>(1);
    const auto work = chunks.blob<Nanoseconds>(2);
    for (std::size_t i = 0; i < intervals.size(); ++i) {
      at += intervals[i];
      frames.push_back({at, intervals[i], i < work.size() ? work[i] : -1});
    }
  }
  return frames;
}

std::vector<Nanoseconds> Store::intervals(std::int64_t id) const {
  std::vector<Nanoseconds> all;
  sqlite::Statement chunks(state_->database, "SELECT intervals_ns FROM frame_chunk WHERE run = ? ORDER BY place");
  for (chunks.bind(id); chunks.step();) {
    const auto part = chunks.blob<Nanoseconds>(0);
    all.insert(all.end(), part.begin(), part.end());
  }
  return all;
}

std::vector<RunSeries> Store::series(std::int64_t id) const {
  std::vector<RunSeries> series;
  sqlite::Statement readings(state_->database,
                             "SELECT id, title, brief, device, kind, unit, digits, text, source FROM run_reading "
                             "WHERE run = ? ORDER BY place");
  for (readings.bind(id); readings.step();) {
    RunSeries one;
    one.info = {readings.text(0),
                readings.text(1),
                readings.text(2),
                readings.text(3),
                kind_from(readings.text(4)),
                unit_from(readings.text(5)).value_or(Unit::none),
                readings.text(8),
                static_cast<int>(readings.integer(6)),
                readings.integer(7) != 0};
    series.push_back(std::move(one));
  }
  sqlite::Statement samples(state_->database, "SELECT at_ns, numbers FROM sample WHERE run = ? ORDER BY place");
  for (samples.bind(id); samples.step();) {
    const auto numbers = samples.blob<double>(1);
    for (std::size_t i = 0; i < series.size(); ++i) {
      if (series[i].info.text) continue;
      const bool there = i < numbers.size() && std::isfinite(numbers[i]);
      series[i].at.push_back(samples.integer(0));
      series[i].values.push_back(there ? Value(numbers[i]) : Value(Missing{"missing when it was recorded"}));
    }
  }
  sqlite::Statement texts(state_->database,
                          "SELECT reading, at_ns, text FROM sample_text WHERE run = ? ORDER BY reading, at_ns");
  for (texts.bind(id); texts.step();) {
    const auto i = static_cast<std::size_t>(texts.integer(0));
    if (i >= series.size()) continue;
    series[i].at.push_back(texts.integer(1));
    series[i].values.emplace_back(texts.text(2));
  }
  return series;
}

}  // namespace idlemeter
