// Stores that are damaged, cut short, moved while they are written to, or made by strangers.
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <sqlite3.h>
#include <sys/stat.h>

#include <fstream>
#include <random>

#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/runs/reading_log.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/repair.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"
#include "stores.hpp"

namespace idlemeter {
namespace {

using namespace testing;
namespace fs = std::filesystem;

/// A run of frames of about 10 ms that waver, with a sample each half second.
std::int64_t record(Store& store, int frames, bool finishes = true) {
  Recorder recorder(store, {.game = "Tidepool Rally"}, [] { return Moment{}; });
  std::mt19937 random(static_cast<unsigned>(frames));
  Moment at{};
  for (int i = 1; i <= frames; ++i) {
    const Nanoseconds length = 9 * kMillisecond + Nanoseconds(random() % 2'000'000);
    recorder.add({at += length, length, length / 2});
    if (i % 50 == 0) recorder.add(at, snapshot_of({kLoad, kApi}, {static_cast<double>(random() % 100), "Vulkan"}));
  }
  return finishes ? recorder.finish() : recorder.id();
}

void settle(const fs::path& file) { change(file, "PRAGMA wal_checkpoint(TRUNCATE)"); }

/// The first blob of a query, and its place in the file.
std::size_t place_of_blob(const fs::path& file, const std::string& sql) {
  sqlite3* database = nullptr;
  EXPECT_EQ(sqlite3_open(file.c_str(), &database), SQLITE_OK);
  sqlite3_stmt* statement = nullptr;
  EXPECT_EQ(sqlite3_prepare_v2(database, sql.c_str(), -1, &statement, nullptr), SQLITE_OK) << sqlite3_errmsg(database);
  EXPECT_EQ(sqlite3_step(statement), SQLITE_ROW);
  const std::string begin(static_cast<const char*>(sqlite3_column_blob(statement, 0)), 24);
  sqlite3_finalize(statement);
  sqlite3_close(database);
  const std::size_t place = text_of(file).find(begin);
  EXPECT_NE(place, std::string::npos);
  return place;
}

void overwrite(const fs::path& file, std::size_t place, const std::string& bytes) {
  std::fstream stream(file, std::ios::binary | std::ios::in | std::ios::out);
  stream.seekp(static_cast<std::streamoff>(place));
  stream.write(bytes.data(), static_cast<std::streamsize>(bytes.size()));
}

TEST(StoreDamage, ACheckFindsEveryBitThatIsFlipped) {
  const Folder folder;
  const fs::path file = folder / "runs.db";
  {
    Store store(file);
    record(store, 8'000);
    record(store, 30);
    record(store, 3'000, false);  // not packed yet
    EXPECT_EQ(store.check(), std::vector<std::string>());
  }
  settle(file);
  const std::string whole = text_of(file);
  const auto content = [&] {
    const Store store(file, Store::Mode::existing);
    return std::pair(store.frames(1), store.frames(2));
  };
  const auto frames = content();
  std::size_t unnoticed = 0;
  std::mt19937 random(5);
  for (const char* blob :
       {"SELECT intervals_ns FROM frame_chunk WHERE run = 1", "SELECT gpu_work_ns FROM frame_chunk WHERE run = 1",
        "SELECT intervals_ns FROM frame_chunk WHERE run = 2", "SELECT intervals_ns FROM frame_chunk WHERE run = 3",
        "SELECT packed FROM sample_block WHERE run = 1"}) {
    const std::size_t place = place_of_blob(file, blob);
    for (int i = 0; i < 12; ++i) {
      const std::size_t at = place + random() % 60;
      overwrite(file, at, std::string(1, static_cast<char>(whole[at] ^ (1 << random() % 8))));
      const std::size_t problems = Store(file, Store::Mode::existing).check().size();
      // Some bits of a compressed frame mean nothing.
      EXPECT_TRUE(problems == 1 || (problems == 0 && content() == frames)) << blob << ", byte " << at - place;
      unnoticed += problems == 0 ? 1 : 0;
      overwrite(file, at, whole.substr(at, 1));
    }
  }
  EXPECT_LE(unnoticed, 3u);
  EXPECT_TRUE(Store(file, Store::Mode::existing).check().empty());
  for (const char* sql :
       {"UPDATE frame_chunk SET length_ns = length_ns + 1 WHERE run = 2", "UPDATE run SET frames = 31 WHERE id = 2",
        "UPDATE frame_chunk SET frames = 29 WHERE run = 2", "UPDATE sample SET at_ns = -at_ns WHERE run = 3",
        "DELETE FROM run_reading WHERE run = 1 AND place = 0", "UPDATE sample_text SET reading = 9 WHERE run = 1"}) {
    overwrite(file, 0, whole);
    change(file, sql);
    settle(file);
    EXPECT_EQ(Store(file, Store::Mode::existing).check().size(), 1u) << sql;
  }
}

TEST(StoreDamage, WhatIsLeftOfAStoreIsRepaired) {
  const Folder folder;
  const fs::path file = folder / "runs.db";
  {
    Store store(file);
    for (int i = 0; i < 8; ++i) record(store, 8'000 + i);
    store.change(std::vector<std::int64_t>{2}, {.tags = {"kept"}, .settings = {{"Preset", "High"}}});
  }
  settle(file);
  const std::string whole = text_of(file);
  constexpr std::size_t kPage = 4'096;
  const std::size_t pages = whole.size() / kPage;
  std::size_t refused = 0, runs = 0, tried = 0;
  for (std::size_t page = 1; page < pages; page += 1 + pages / 60, ++tried) {
    const fs::path damaged = folder.file("damaged.db", whole), repaired = folder / fmt::format("{}.db", page);
    overwrite(damaged, page * kPage, std::string(kPage, '\0'));
    const std::string before = text_of(damaged);
    try {
      const RepairedStore result = repair_store(damaged, repaired);
      Store store(repaired, Store::Mode::existing);
      EXPECT_EQ(store.check(), std::vector<std::string>()) << page;
      EXPECT_EQ(store.runs().size(), result.runs);
      runs += result.runs;
      std::uint64_t frames = 0;
      for (const RunInfo& run : store.runs()) frames += run.frames;
      EXPECT_TRUE(frames == 8 * 8'000 + 28 || !result.lost.empty()) << "a loss that isn't said, page " << page;
      EXPECT_GE(frames, 6u * 8'000) << page;
    } catch (const Error& error) {
      ++refused;  // a page that says where everything is
      EXPECT_FALSE(fs::exists(repaired)) << error.what();
    }
    EXPECT_EQ(text_of(damaged), before) << "the damaged one stays as it is";
  }
  EXPECT_LE(refused, 1u);
  EXPECT_GE(runs, (tried - refused) * 8 - 8) << "of almost every store all runs";

  // A copy that was cut short, by a page and by half.
  for (const std::size_t left : {whole.size() - kPage, whole.size() / 2 + 100}) {
    const fs::path cut = folder.file("cut.db", whole.substr(0, left)),
                   repaired = folder / fmt::format("cut{}.db", left);
    const RepairedStore result = repair_store(cut, repaired);
    EXPECT_GE(result.runs, 3u) << left;
    EXPECT_EQ(Store(repaired, Store::Mode::existing).check(), std::vector<std::string>());
  }
  // One that is whole, and one in use whose last frames are in SQLite's log.
  const fs::path live = folder.file("live.db", whole);
  Store store(live);
  record(store, 500);
  const RepairedStore all = repair_store(live, folder / "all.db");
  EXPECT_EQ(all.runs, 9u);
  EXPECT_EQ(all.lost, std::vector<std::string>());
  EXPECT_EQ(Store(folder / "all.db").run(2).details.settings, (std::map<std::string, std::string>{{"Preset", "High"}}));
  EXPECT_THROW((void)repair_store(live, folder / "all.db"), Error) << "nothing is overwritten";
  EXPECT_THROW(
      (void)repair_store(folder.file("head.db", std::string(kPage, '\0') + whole.substr(kPage)), folder / "h.db"),
      Error);
}

TEST(StoreDamage, ACopyNamesTheStoreThatIsDamaged) {
  const Folder folder;
  {
    Store store(folder / "whole.db");
    record(store, 20'000);
  }
  settle(folder / "whole.db");
  const std::string bytes = text_of(folder / "whole.db");
  constexpr std::size_t kPage = 4'096;
  int refused = 0;
  for (std::size_t page = 1; page < bytes.size() / kPage; ++page) {
    std::string damaged = bytes;
    std::fill_n(damaged.begin() + static_cast<std::ptrdiff_t>(page * kPage), kPage, '\0');
    folder.file("damaged.db", damaged);
    Store mine(folder / fmt::format("mine{}.db", page));
    try {
      mine.add(Store(folder / "damaged.db", Store::Mode::existing));
    } catch (const Error& error) {
      ++refused;
      EXPECT_TRUE(std::string(error.what()).starts_with((folder / "damaged.db").string()))
          << page << ": " << error.what();
    }
  }
  EXPECT_GT(refused, 10);
}

TEST(StoreDamage, AStoreIsAFile) {
  const Folder folder;
  const fs::path here = fs::current_path();
  fs::current_path(folder.path());
  for (const char* name : {"", ":memory:", "file:x.db", "file::memory:?cache=shared", "."})
    EXPECT_NE(message_of([&] { Store store{fs::path(name)}; }), "") << name;
  EXPECT_TRUE(fs::is_empty(folder.path()));
  record(*std::make_unique<Store>("./:memory:"), 5);
  EXPECT_TRUE(fs::is_regular_file(folder / ":memory:"));
  fs::current_path(here);
  struct stat about {};
  EXPECT_EQ(::stat((folder / ":memory:").c_str(), &about), 0);
  EXPECT_EQ(about.st_mode & 0777, 0600u) << "readable by its owner alone";
}

TEST(StoreDamage, AStoreThatIsMovedAwayIsNoticed) {
  const Folder folder;
  const fs::path file = folder / "runs.db", moved = folder / "moved.db", other = folder / "other.db";
  {
    Store store(other);
    record(store, 2'000);
  }
  settle(other);
  const std::string others = text_of(other);
  {
    Store store(file);
    Clock clock;
    Recorder recorder(store, {.game = "Rally"}, clock.function());
    const auto play = [&](int frames) {
      for (int i = 0; i < frames; ++i) {
        clock.now += 10 * kMillisecond;
        recorder.add({clock.now, 10 * kMillisecond});
      }
    };
    play(200);
    fs::rename(file, moved);
    fs::rename(other, file);
    try {
      play(200);
      FAIL() << "it writes into a store that isn't there any more";
    } catch (const Error& error) {
      EXPECT_EQ(error.code(), Error::Code::moved);
      EXPECT_NE(std::string(error.what()).find("was moved, replaced or removed"), std::string::npos);
    }
  }
  EXPECT_EQ(text_of(file), others) << "the store that is there now isn't touched";
  EXPECT_TRUE(Store(file, Store::Mode::existing).check().empty());
  EXPECT_GE(Store(moved, Store::Mode::existing).run(1).frames, 150u) << "what was recorded until then is in the other";

  Clock clock;
  ReadingLog log(folder / "log.db", {}, {}, clock.function());
  const auto add = [&] {
    clock.now += kSecond;
    log.add(clock.now, snapshot_of({kLoad}, {1.0}));
  };
  add();
  fs::remove(folder / "log.db");
  EXPECT_THROW(
      {
        for (int i = 0; i < 3; ++i) add();
      },
      Error);
}

TEST(StoreStrangers, OnlyKnownTablesAreTakenAndNoneOfTheirSqlRuns) {
  const Folder folder;
  const fs::path good = folder / "good.db";
  {
    Store store(good);
    for (int i = 0; i < 3; ++i) record(store, 300);
  }
  settle(good);
  const std::string whole = text_of(good);
  for (const char* sql : {
           "CREATE TRIGGER t AFTER UPDATE ON run BEGIN DELETE FROM run WHERE id <> new.id; END",
           "CREATE VIEW v AS SELECT 1",
           "ALTER TABLE run RENAME TO r; CREATE VIEW run AS WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 "
           "FROM n) "
           "SELECT i AS id, '' AS game, '' AS started, '' AS note, 1 AS finished, '' AS ended, 0 AS lost, '' AS uuid, "
           "'' AS "
           "removed, 1 AS frames, 1 AS length_ns, '' AS recorder FROM n",
           "CREATE TABLE more (x)",
           "CREATE INDEX slow ON run (upper(game))",
           "ALTER TABLE run ADD COLUMN g TEXT AS (upper(game))",
           "CREATE VIRTUAL TABLE f USING fts5(x)",
           "DROP TABLE sample_text",
       }) {
    const fs::path bad = folder.file("bad.db", whole);
    change(bad, sql);
    settle(bad);
    const std::string before = text_of(bad), said = message_of([&] { Store store(bad, Store::Mode::existing); });
    EXPECT_NE(said.find("isn't a store that Idle Meter made: "), std::string::npos) << sql << ": " << said;
    EXPECT_EQ(text_of(bad), before) << sql;
    EXPECT_THROW((void)Store(folder / "mine.db").add(Store(bad, Store::Mode::existing)), Error);
  }
}

TEST(StoreStrangers, AFailedMigrationLeavesTheFileAsItWas) {
  const Folder folder;
  const fs::path file = folder / "old.db";
  {
    Store store(file);
    record(store, 6'000);
  }
  change(file,
         "DROP TABLE run_result; ALTER TABLE run DROP COLUMN recorder; PRAGMA user_version = 3; PRAGMA "
         "wal_checkpoint(TRUNCATE); PRAGMA "
         "journal_mode = DELETE");
  const std::string old = text_of(file);
  change(file, "CREATE TABLE surprise (x)");
  const std::string before = text_of(file);
  EXPECT_THROW(Store store(file), Error);
  EXPECT_EQ(text_of(file), before);
  EXPECT_FALSE(fs::exists(file.string() + "-wal"));
  folder.file("old.db", old);
  EXPECT_EQ(Store(file).run(1).frames, 6'000u);
  EXPECT_EQ(count_of(file, "PRAGMA user_version"), 5);
}

TEST(StoreStrangers, HaveLimitsOnWhatTheyUnpackTo) {
  const Folder folder;
  const fs::path file = folder / "bomb.db";
  {
    Store store(file);
    Recorder recorder(store, {}, [] { return Moment{}; });
    for (int i = 1; i <= 6'100; ++i) recorder.add({Moment{i * 10 * kMillisecond}, 10 * kMillisecond});
    recorder.finish();
  }
  // Equal frames are packed to almost nothing: the same row ten thousand times is sixty million frames in two
  // megabytes.
  change(file,
         "INSERT INTO frame_chunk WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 10000) "
         "SELECT 1, 1000 + "
         "i, start_ns, frames, length_ns, intervals_ns, gpu_work_ns, packed FROM frame_chunk, n WHERE run = 1 AND "
         "place = 0; UPDATE "
         "run SET frames = NULL");
  const Store store(file, Store::Mode::existing);
  EXPECT_NE(message_of([&] { (void)store.frames(1); }).find("unpacks to more than any recording does"),
            std::string::npos);
  EXPECT_NE(message_of([&] { (void)store.intervals(1); }), "");
  change(file,
         "INSERT INTO run_reading WITH RECURSIVE n(i) AS (SELECT 0 UNION ALL SELECT i + 1 FROM n WHERE i < 20000) "
         "SELECT 1, i, 'r' || i, "
         "'', '', '', 'graphics', '', 0, 0, '', '' FROM n");
  EXPECT_NE(message_of([&] { (void)store.readings(1); }).find("more than 10000 readings"), std::string::npos);
  change(file,
         "INSERT INTO run (game, started, note) WITH RECURSIVE n(i) AS (SELECT 0 UNION ALL SELECT i + 1 FROM n WHERE i "
         "< 120000) SELECT "
         "'', '', '' FROM n");
  EXPECT_NE(message_of([&] { (void)store.runs(); }).find("has more than 100000 runs"), std::string::npos);
}

}  // namespace
}  // namespace idlemeter
