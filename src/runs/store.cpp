#include "idlemeter/runs/store.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <bit>
#include <cctype>
#include <cmath>
#include <cstdlib>
#include <fstream>
#include <limits>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/base/user_folder.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/runs/run.hpp"
#include "runs/pack.hpp"
#include "runs/store_state.hpp"

namespace idlemeter {
namespace {

using namespace runs;

namespace fs = std::filesystem;

static_assert(std::endian::native == std::endian::little, "blobs hold little-endian numbers");

constexpr std::int64_t kApplication = 0x49444C4D;  // "IDLM"
constexpr std::int64_t kVersion = 2;

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
void check_or_make(runs::Database& database, const std::string& path, Store::Mode mode) {
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
bool wants_immutable(const runs::Database& database, const std::string& path, Store::Mode mode) {
  const int code = database.error_code();
  std::error_code none;
  const bool has_log = fs::exists(path + "-wal", none) && fs::file_size(path + "-wal", none) > 0;
  return mode == Store::Mode::existing && (code == SQLITE_CANTOPEN || code == SQLITE_READONLY) && !has_log;
}

std::unique_ptr<runs::Database> open(const fs::path& file, Store::Mode mode, const LockWait& wait) {
  const std::string path = checked(file, mode);
  const int flags = SQLITE_OPEN_READWRITE | (mode == Store::Mode::create ? SQLITE_OPEN_CREATE : 0);
  auto database = std::make_unique<runs::Database>(path, path, flags, wait);
  try {
    check_or_make(*database, path, mode);
  } catch (const Error&) {
    if (!wants_immutable(*database, path, mode)) throw;
    database =
        std::make_unique<runs::Database>(immutable_uri(path), path, SQLITE_OPEN_READONLY | SQLITE_OPEN_URI, wait);
    check_or_make(*database, path, mode);
  }
  return database;
}

/// Reads what is known of runs, one after another.
class RunReader {
 public:
  explicit RunReader(runs::Database& database)
      : tags_(database, "SELECT tag FROM run_tag WHERE run = ? ORDER BY tag"),
        facts_(database, "SELECT kind, name, value FROM run_fact WHERE run = ?"),
        // total() takes any number, where sum() gives up on a damaged one. It is exact up to a hundred days.
        frames_(database, "SELECT total(frames), total(length_ns) FROM frame_chunk WHERE run = ?") {}

  /// The row's columns are id, game, started, note, finished.
  RunInfo read(const runs::Statement& row) {
    RunInfo info;
    info.id = row.integer(0);
    info.started = row.text(2);
    info.finished = row.integer(4) != 0;
    info.details = {row.text(1), row.text(3), {}, {}, {}};
    for (tags_.bind(info.id); tags_.step();) info.details.tags.push_back(tags_.text(0));
    for (facts_.bind(info.id); facts_.step();) {
      auto& pairs = facts_.integer(0) == kSetting ? info.details.settings : info.details.facts;
      pairs.emplace(facts_.text(1), facts_.text(2));
    }
    if (frames_.bind(info.id).step()) {
      info.frames = static_cast<std::uint64_t>(within(frames_.real(0)));
      info.length = Nanoseconds(within(frames_.real(1)));
    }
    return info;
  }

 private:
  static std::int64_t within(double sum) {
    return sum >= 0 && sum <= static_cast<double>(kLongestTime.count()) ? static_cast<std::int64_t>(sum) : 0;
  }

  runs::Statement tags_, facts_, frames_;
};

bool is_possible(Moment at) { return at >= kEarliestMoment && at <= kLatestMoment; }
bool is_possible(Nanoseconds length) { return length >= Nanoseconds{1} && length <= kLongestTime; }

/// "1 to 40, 42, 50 to 52"; of many only the first and the last.
std::string words_of(const std::vector<std::int64_t>& ids) {
  constexpr std::size_t kMost = 6;
  std::vector<std::string> parts;
  for (std::size_t first = 0; first < ids.size();) {
    std::size_t last = first;
    while (last + 1 < ids.size() && ids[last + 1] == ids[last] + 1) ++last;
    if (last == first) parts.push_back(fmt::format("{}", ids[first]));
    if (last == first + 1) parts.push_back(fmt::format("{}, {}", ids[first], ids[last]));
    if (last > first + 1) parts.push_back(fmt::format("{} to {}", ids[first], ids[last]));
    first = last + 1;
  }
  if (parts.size() <= kMost) return fmt::format("{}", fmt::join(parts, ", "));
  return fmt::format("{} runs from {} to {}; 'idlemeter runs' lists them", ids.size(), ids.front(), ids.back());
}

constexpr double kMissing = std::numeric_limits<double>::quiet_NaN();

/// Of the columns start_ns, intervals_ns, gpu_work_ns, frames, packed.
std::vector<Nanoseconds> lengths_of(const runs::Statement& chunk, int column, const fs::path& file) {
  if (chunk.integer(4) == 0) return chunk.blob<Nanoseconds>(column);
  const auto packed = chunk.blob<char>(column);
  if (packed.empty()) return {};
  const std::int64_t frames = chunk.integer(3);
  return unpack({packed.data(), packed.size()}, frames > 0 ? static_cast<std::size_t>(frames) : 0, file.string());
}

/// A number of a reading; a text reading has none.
void add_sample(RunSeries& series, Moment at, double value) {
  if (series.info.text) return;
  series.at.push_back(at);
  series.values.push_back(std::isfinite(value) ? Value(value) : Value(Missing{"missing when it was recorded"}));
}

void add_blocks(runs::Database& database, std::int64_t run, const fs::path& file, std::vector<RunSeries>& series) {
  runs::Statement blocks(database, "SELECT samples, readings, packed FROM sample_block WHERE run = ? ORDER BY place");
  for (blocks.bind(run); blocks.step();) {
    const auto packed = blocks.blob<char>(2);
    const auto count = [&](int column) {
      return static_cast<std::size_t>(std::max<std::int64_t>(0, blocks.integer(column)));
    };
    const SampleBlock block = unpack({packed.data(), packed.size()}, count(0), count(1), file.string());
    for (std::size_t i = 0; i < block.at.size(); ++i) {
      if (!is_possible(block.at[i])) continue;
      for (std::size_t column = 0; column < series.size(); ++column)
        add_sample(series[column], block.at[i], column < block.columns.size() ? block.columns[column][i] : kMissing);
    }
  }
}

DeviceKind kind_from(std::string_view name) {
  for (int i = 0; i <= static_cast<int>(DeviceKind::own); ++i) {
    if (name_of(static_cast<DeviceKind>(i)) == name) return static_cast<DeviceKind>(i);
  }
  return DeviceKind::own;
}

}  // namespace

Store::State::State(const fs::path& file, Mode mode, LockWait wait)
    : path(file), opened(open(file, mode, wait)), database(*opened) {
  // FULL: a commit is on the disk when it returns, so that a power cut loses no more than a crash does.
  database.run("PRAGMA synchronous = FULL");
  version = database.number("PRAGMA user_version");
}

Store::Store(const fs::path& path, Mode mode, LockWait wait)
    : state_(std::make_unique<State>(path, mode, std::move(wait))) {}
Store::Store(Store&&) noexcept = default;
Store& Store::operator=(Store&&) noexcept = default;
Store::~Store() = default;

fs::path Store::usual_path() { return user_folder("XDG_DATA_HOME", ".local/share") / "runs.db"; }

const fs::path& Store::path() const { return state_->path; }

std::vector<RunInfo> Store::runs() const {
  std::vector<RunInfo> runs;
  runs::Statement rows(state_->database, "SELECT id, game, started, note, finished FROM run ORDER BY id");
  RunReader reader(state_->database);
  while (rows.step()) {
    try {
      runs.push_back(reader.read(rows));
    } catch (const Error& error) {
      RunInfo damaged;
      damaged.id = rows.integer(0);
      damaged.problem = error.what();
      runs.push_back(std::move(damaged));
    }
  }
  return runs;
}

RunInfo Store::run(std::int64_t id) const {
  runs::Statement row(state_->database, "SELECT id, game, started, note, finished FROM run WHERE id = ?");
  if (row.bind(id).step()) return RunReader(state_->database).read(row);
  std::vector<std::int64_t> ids;
  runs::Statement all(state_->database, "SELECT id FROM run ORDER BY id");
  while (all.step()) ids.push_back(all.integer(0));
  throw Error(Error::Code::not_found, fmt::format("there is no run {}", id), path().string(),
              ids.empty() ? "the store has no runs yet" : "the store has " + words_of(ids));
}

std::vector<FrameRecord> Store::frames(std::int64_t id) const {
  std::vector<FrameRecord> frames;
  runs::Statement chunks(
      state_->database, fmt::format("SELECT start_ns, intervals_ns, gpu_work_ns, frames, {} FROM frame_chunk WHERE run "
                                    "= ? ORDER BY place",
                                    state_->version < 2 ? "0" : "packed"));
  Moment at{};
  for (chunks.bind(id); chunks.step();) {
    if (is_possible(chunks.moment(0))) at = chunks.moment(0);  // a damaged one goes on where the chunk before ended
    const auto intervals = lengths_of(chunks, 1, path());
    const auto work = lengths_of(chunks, 2, path());
    for (std::size_t i = 0; i < intervals.size(); ++i) {
      if (!is_possible(intervals[i]) || !is_possible(at + intervals[i])) continue;
      at += intervals[i];
      frames.push_back({at, intervals[i], i < work.size() && is_possible(work[i]) ? work[i] : kUnknownTime});
    }
  }
  return frames;
}

std::vector<Nanoseconds> Store::intervals(std::int64_t id) const {
  std::vector<Nanoseconds> all;
  runs::Statement chunks(
      state_->database,
      fmt::format("SELECT 0, intervals_ns, 0, frames, {} FROM frame_chunk WHERE run = ? ORDER BY place",
                  state_->version < 2 ? "0" : "packed"));
  for (chunks.bind(id); chunks.step();) {
    const auto part = lengths_of(chunks, 1, path());
    all.insert(all.end(), part.begin(), part.end());
  }
  return all;
}

std::vector<RunSeries> Store::series(std::int64_t id) const {
  std::vector<RunSeries> series;
  runs::Statement readings(state_->database,
                           fmt::format("SELECT id, title, brief, device, kind, unit, digits, text, source, {} FROM "
                                       "run_reading WHERE run = ? ORDER BY place",
                                       state_->version < 2 ? "''" : "alias"));
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
                readings.integer(7) != 0,
                readings.text(9)};
    series.push_back(std::move(one));
  }
  if (state_->version >= 2) add_blocks(state_->database, id, path(), series);
  runs::Statement samples(state_->database, "SELECT at_ns, numbers FROM sample WHERE run = ? ORDER BY place");
  for (samples.bind(id); samples.step();) {
    if (!is_possible(samples.moment(0))) continue;
    const auto numbers = samples.blob<double>(1);
    for (std::size_t i = 0; i < series.size(); ++i)
      add_sample(series[i], samples.moment(0), i < numbers.size() ? numbers[i] : kMissing);
  }
  runs::Statement texts(state_->database,
                        "SELECT reading, at_ns, text FROM sample_text WHERE run = ? ORDER BY reading, at_ns");
  for (texts.bind(id); texts.step();) {
    const auto i = static_cast<std::size_t>(texts.integer(0));
    if (i >= series.size() || !is_possible(texts.moment(1))) continue;
    series[i].at.push_back(texts.moment(1));
    series[i].values.emplace_back(texts.text(2));
  }
  return series;
}

}  // namespace idlemeter
