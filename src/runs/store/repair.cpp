#include "idlemeter/runs/repair.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <functional>
#include <map>
#include <optional>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/scratch_folder.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"
#include "runs/run_time.hpp"
#include "runs/store/new_store.hpp"
#include "runs/store/store_file.hpp"
#include "runs/store/store_rows.hpp"
#include "runs/store/store_schema.hpp"
#include "runs/store/transaction.hpp"

namespace idlemeter {
namespace {

namespace fs = std::filesystem;
using namespace runs;

/// A table's rows in order of their numbers, whatever pages between them are damaged.
class Salvage {
 public:
  using Take = std::function<void(const Statement&)>;  ///< column 0 is the row's number

  Salvage(Database& database, const std::string& columns, const std::string& table)
      : table_(table),
        database_(database),
        rows_(database, fmt::format("SELECT rowid, {} FROM {} NOT INDEXED WHERE rowid BETWEEN ? AND ? ORDER BY rowid",
                                    columns, table)) {}

  /// False if some rows may be missing.
  bool read(const Take& take) {
    // Without its last page, a table doesn't say where it ends: rows are looked for a while beyond the last one.
    for (std::int64_t first = 1; first <= last_row();) {
      const std::int64_t last = std::min(last_row(), first + kWindow - 1), found = found_;
      read(first, last, take);
      if (!knows_end_ && found_ == found && is_damaged_) break;
      first = last + 1;
    }
    return !is_damaged_;
  }

 private:
  static constexpr std::int64_t kWindow = 20'000;  // rows: more than lie below one damaged page
  static constexpr std::int64_t kFarthest = std::int64_t{1} << 40;

  std::int64_t last_row() {
    if (last_ > 0) return last_;
    last_ = kFarthest;
    try {
      Statement last(database_, fmt::format("SELECT max(rowid) FROM {}", table_));
      if (last.step()) last_ = std::max<std::int64_t>(1, last.integer(0));
      knows_end_ = true;
    } catch (const Error&) {
      is_damaged_ = true;
    }
    return last_;
  }

  /// Halves a range with a damaged page in it until every row has been tried by itself.
  void read(std::int64_t first, std::int64_t last, const Take& take) {
    std::int64_t next = first;
    try {
      for (rows_.bind(first, last); rows_.step();) {
        take(rows_);
        next = rows_.integer(0) + 1;
        ++found_;
      }
      return;
    } catch (const Error& error) {
      if (error.code() != Error::Code::damaged) throw;
      is_damaged_ = true;
    }
    if (next >= last) return;
    const std::int64_t middle = next + (last - next) / 2;
    read(next, middle, take);
    read(middle + 1, last, take);
  }

  std::string table_;
  Database& database_;
  Statement rows_;
  std::int64_t last_ = 0, found_ = 0;
  bool knows_end_ = false, is_damaged_ = false;
};

/// A store to read from that may be damaged: as it is, or a copy of it if it has to be changed for that.
class Damaged {
 public:
  explicit Damaged(const fs::path& file) {
    if (bytes_missing(file) == 0) {
      try {
        database_ = open_store(file, Store::Mode::existing, {});
        if (database_->number("PRAGMA user_version") == kVersion) return;
      } catch (const Error& error) {
        if (error.code() != Error::Code::damaged) throw;
      }
    }
    database_.reset();
    folder_.emplace();
    const fs::path copy = folder_->path() / "damaged.db";
    fs::copy_file(file, copy);
    std::error_code none;
    fs::copy_file(file.string() + "-wal", copy.string() + "-wal", none);
    constexpr std::uint64_t kMostMissing = std::uint64_t{1} << 30;
    const std::uint64_t missing = std::min(bytes_missing(copy), kMostMissing);
    fs::resize_file(copy, fs::file_size(copy) + missing);  // SQLite reads no store that is shorter than it says
    database_ = std::make_unique<Database>(copy.string(), file.string(), SQLITE_OPEN_READWRITE, LockWait{});
    migrate_copy(file);
  }

  [[nodiscard]] Database& database() { return *database_; }

 private:
  void migrate_copy(const fs::path& file) {
    const std::int64_t version = database_->number("PRAGMA user_version");
    if (database_->number("PRAGMA application_id") != kApplication || version < 1 || version > kVersion)
      throw Error(Error::Code::damaged, "its first page is damaged, and nothing else can be found without it",
                  file.string(), "take a copy from a backup");
    expect_known_tables(*database_, version, file.string());
    if (version == kVersion) return;
    Transaction transaction(*database_);
    migrate(*database_, version, false);
    transaction.commit();
  }

  std::optional<ScratchFolder> folder_;
  std::unique_ptr<Database> database_;
};

/// What was found of a run, beside what its own row says.
struct Found {
  std::int64_t frames = 0, expected = -1;  ///< `expected` < 0: not known
  std::size_t broken_frames = 0, broken_samples = 0;
  std::size_t columns = 0;  ///< of its samples
  Moment last_sample{};

  void add(const RunSamples& samples) {
    columns = std::max(columns, samples.columns.size());
    if (!samples.at.empty()) last_sample = std::max(last_sample, samples.at.back());
  }
};

class Repair {
 public:
  Repair(Database& from, Database& to, const fs::path& file) : from_(from), to_(to), file_(file.string()) {}

  RepairedStore run() {
    Transaction transaction(to_);
    copy_runs();
    copy_notes("run_tag", "run, tag");
    copy_notes("run_fact", "run, kind, name, value");
    copy_frames();
    copy_samples();
    copy("run_reading", "run, place, id, title, brief, device, kind, unit, digits, text, source, alias", 12);
    copy("sample_text", "run, reading, at_ns, text", 4);
    name_lost_readings();
    finish_runs();
    transaction.commit();
    say_losses();
    result_.runs = runs_.size();
    return std::move(result_);
  }

 private:
  static constexpr const char* kRunColumns =
      "id, game, started, note, finished, ended, lost, uuid, removed, frames, length_ns";

  /// The run that a row belongs to; made if its own row is gone.
  Found& found(std::int64_t run) {
    const auto [entry, is_new] = runs_.try_emplace(run);
    if (is_new) {
      Statement(to_, "INSERT INTO run (id, game, started, note, uuid) VALUES (?, ?, ?, ?, ?)")
          .bind(run, std::string("unknown"), std::string("1970-01-01T00:00:00Z"),
                std::string("what was noted of this run is lost"), fmt::format("repaired {} {}", file_, run))
          .run();
      result_.lost.push_back(fmt::format("run {}: its game, date and note", run));
    }
    return entry->second;
  }

  void copy_runs() {
    Statement insert(to_, fmt::format("INSERT INTO run ({}) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)", kRunColumns));
    const bool whole = Salvage(from_, kRunColumns, "run").read([&](const Statement& row) {
      insert.copy(row, 1, 11).run();
      if (!is_run_time(row.text(3))) {
        const std::int64_t run = row.integer(1);
        Statement(to_, "UPDATE run SET started = '1970-01-01T00:00:00Z' WHERE id = ?").bind(run).run();
        result_.lost.push_back(fmt::format("run {}: its date", run));
      }
      if (!row.is_null(10)) runs_[row.integer(1)].expected = row.integer(10);
      runs_.try_emplace(row.integer(1));
    });
    if (!whole) result_.lost.emplace_back("a page of the list of runs");
  }

  /// Tables without numbers of their rows are read by run, from both ends.
  void copy_notes(const std::string& table, const std::string& columns) {
    const auto count = static_cast<int>(std::count(columns.begin(), columns.end(), ',')) + 1;
    const std::string places = count == 2 ? "?, ?" : "?, ?, ?, ?";
    Statement insert(to_, fmt::format("INSERT OR IGNORE INTO {} ({}) VALUES ({})", table, columns, places));
    std::vector<std::int64_t> ids;
    for (const auto& [id, about] : runs_) ids.push_back(id);
    for (const std::int64_t id : ids) {
      for (const char* order : {"ASC", "DESC"}) {
        const std::string by =
            table == "run_tag" ? fmt::format("tag {}", order) : fmt::format("kind {0}, name {0}", order);
        try {
          Statement rows(from_, fmt::format("SELECT {} FROM {} WHERE run = ? ORDER BY {}", columns, table, by));
          for (rows.bind(id); rows.step();) insert.copy(rows, 0, count).run();
          break;
        } catch (const Error& error) {
          if (error.code() != Error::Code::damaged) throw;
          if (std::string_view(order) == "DESC")
            result_.lost.push_back(
                fmt::format("run {}: some of its {}", id, table == "run_tag" ? "tags" : "facts and settings"));
        }
      }
    }
  }

  void copy_frames() {
    Statement insert(to_,
                     fmt::format("INSERT OR IGNORE INTO frame_chunk (run, place, {}) VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
                                 kChunkColumns));
    const std::string columns = fmt::format("run, place, {}", kChunkColumns);
    const bool whole = Salvage(from_, columns, "frame_chunk").read([&](const Statement& row) {
      Found& run = found(row.integer(1));
      try {
        RunBudget budget = RunBudget::of_frames(file_);
        run.frames += static_cast<std::int64_t>(read_chunk(row, file_, budget, 3).intervals.size());
        insert.copy(row, 1, 8).run();
      } catch (const Error& error) {
        if (error.code() != Error::Code::damaged) throw;
        ++run.broken_frames;
      }
    });
    frames_whole_ = whole;
  }

  void copy_samples() {
    const bool blocks = copy_blocks(), rows = copy_rows();
    if (!blocks || !rows) result_.lost.emplace_back("pages with readings of runs");
  }

  /// What takes a row may throw that it is damaged: then the run lacks it.
  template <typename Take>
  void take_samples(Found& run, const Take& take) {
    try {
      take();
    } catch (const Error& error) {
      if (error.code() != Error::Code::damaged) throw;
      ++run.broken_samples;
    }
  }

  /// False if not all could be read.
  bool copy_blocks() {
    Statement block(
        to_, fmt::format("INSERT OR IGNORE INTO sample_block (run, place, {}) VALUES (?, ?, ?, ?, ?)", kBlockColumns));
    return Salvage(from_, fmt::format("run, place, {}", kBlockColumns), "sample_block").read([&](const Statement& row) {
      Found& run = found(row.integer(1));
      take_samples(run, [&] {
        RunBudget budget = RunBudget::of_values(file_);
        run.add(read_block(row, file_, budget, 3));
        block.copy(row, 1, 5).run();
      });
    });
  }

  bool copy_rows() {
    Statement sample(to_,
                     fmt::format("INSERT OR IGNORE INTO sample (run, place, {}) VALUES (?, ?, ?, ?)", kSampleColumns));
    return Salvage(from_, fmt::format("run, place, {}", kSampleColumns), "sample").read([&](const Statement& row) {
      Found& run = found(row.integer(1));
      take_samples(run, [&] {
        run.add(read_sample(row, file_, 3));
        sample.copy(row, 1, 4).run();
      });
    });
  }

  static void name_lost_reading(Statement& insert, std::int64_t run, std::int64_t place) {
    insert
        .bind(run, place, fmt::format("lost.{}", place), std::string("A reading whose name is lost"),
              std::string(name_of(DeviceKind::own)))
        .run();
  }

  /// Values whose reading is lost are kept under a name that says so.
  void name_lost_readings() {
    Statement there(to_, "SELECT count(*), coalesce(max(place), -1) FROM run_reading WHERE run = ?");
    Statement texts(to_, "SELECT coalesce(max(reading), -1) FROM sample_text WHERE run = ?");
    Statement insert(to_, "INSERT OR IGNORE INTO run_reading VALUES (?, ?, ?, ?, '', '', ?, '', -1, 0, '', '')");
    for (const auto& [id, run] : runs_) {
      if (!there.bind(id).step() || !texts.bind(id).step()) continue;
      const std::int64_t count = there.integer(0);
      const std::int64_t places =
          std::max({there.integer(1) + 1, texts.integer(0) + 1, static_cast<std::int64_t>(run.columns)});
      if (count >= places || places > static_cast<std::int64_t>(limits::kReadingsOfRun)) continue;
      for (std::int64_t place = 0; place < places; ++place) name_lost_reading(insert, id, place);
      result_.lost.push_back(fmt::format("run {}: the names of {} readings", id, places - count));
    }
  }

  void copy(const std::string& table, const std::string& columns, int count) {
    std::string places = "?";
    for (int i = 1; i < count; ++i) places += ", ?";
    Statement insert(to_, fmt::format("INSERT OR IGNORE INTO {} ({}) VALUES ({})", table, columns, places));
    const bool whole = Salvage(from_, columns, table).read([&](const Statement& row) {
      (void)found(row.integer(1));
      insert.copy(row, 1, count).run();
    });
    if (!whole) result_.lost.push_back(fmt::format("pages of the table {}", table));
  }

  /// Totals as they are now, so that the new store agrees with itself.
  void finish_runs() {
    Statement finish(
        to_,
        "UPDATE run SET frames = (SELECT CAST(total(frames) AS INTEGER) FROM frame_chunk WHERE run = ?1), "
        "length_ns = coalesce((SELECT CAST(sum(length_ns) AS INTEGER) FROM frame_chunk WHERE run = ?1), ?2) "
        "WHERE id = ?1 AND finished = 1");
    for (const auto& [id, run] : runs_)
      finish.bind(id, std::max<std::int64_t>(0, run.last_sample.time_since_epoch().count())).run();
  }

  void say_losses() {
    bool said = false;
    for (const auto& [id, run] : runs_) {
      if (run.expected > run.frames)
        result_.lost.push_back(fmt::format("run {}: {} of {} frames", id, run.expected - run.frames, run.expected));
      else if (run.broken_frames > 0)
        result_.lost.push_back(
            fmt::format("run {}: {} part{} of its frames", id, run.broken_frames, run.broken_frames == 1 ? "" : "s"));
      said = said || run.expected > run.frames || run.broken_frames > 0;
      if (run.broken_samples > 0)
        result_.lost.push_back(fmt::format("run {}: {} part{} of its readings", id, run.broken_samples,
                                           run.broken_samples == 1 ? "" : "s"));
    }
    if (!frames_whole_ && !said) result_.lost.emplace_back("pages with frames of runs");
  }

  Database& from_;
  Database& to_;
  std::string file_;
  std::map<std::int64_t, Found> runs_;
  bool frames_whole_ = true;
  RepairedStore result_;
};

}  // namespace

RepairedStore repair_store(const fs::path& damaged, const fs::path& into) {
  Damaged from(damaged);
  RepairedStore result;
  make_store(into, [&](const fs::path& file) {
    const auto to = open_store(file, Store::Mode::create, {});
    result = Repair(from.database(), *to, damaged).run();
  });
  return result;
}

std::vector<std::string> problems_of_store(const std::filesystem::path& file) {
  try {
    return Store(file, Store::Mode::existing).check();
  } catch (const Error& error) {
    if (error.code() != Error::Code::damaged) throw;
    return {error.what()};
  }
}

}  // namespace idlemeter
