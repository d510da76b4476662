#include "idlemeter/runs/store.hpp"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <signal.h>
#include <sqlite3.h>
#include <stdio.h>
#include <sys/wait.h>
#include <unistd.h>

#include <functional>
#include <limits>
#include <optional>
#include <random>
#include <stdexcept>
#include <thread>

#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/runs/background_recorder.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/run_moment.hpp"
#include "idlemeter/runs/series_summary.hpp"

namespace idlemeter {
namespace {

/// A clock that a test moves.
struct Clock {
  Moment now{};
  Recorder::Clock function() {
    return [this] { return now; };
  }
};

std::string message_of(const std::function<void()>& call) {
  try {
    call();
  } catch (const Error& error) {
    return error.what();
  }
  return "";
}

Snapshot snapshot_of(std::vector<ReadingInfo> infos, std::vector<Value> values) {
  return Snapshot(
      {},
      {std::make_shared<Batch>(Batch{std::make_shared<const ReadingList>(std::move(infos)), std::move(values), {}})});
}

const ReadingInfo kLoad{"gpu.load", "GPU load", "GPU", "Marl G9", DeviceKind::graphics, Unit::percent, "a file"};
const ReadingInfo kTemp{"gpu.temp",           "GPU temperature", "GPU",    "Marl G9",
                        DeviceKind::graphics, Unit::celsius,     "a file", 1};
const ReadingInfo kApi{"game.api", "Graphics API", "API", "Game", DeviceKind::game, Unit::none, "the game", -1, true};

TEST(Store, GivesBackWhatWasRecorded) {
  const testing::Folder folder;
  Store store(folder / "a/b/runs.db");
  const RunDetails details{
      "Tidepool Rally", "a note", {"cool", "quiet"}, {{"GPU", "Marl G9"}}, {{"Preset", "High"}, {"Fan", "50 %"}}};
  std::vector<FrameRecord> frames;
  Moment at{};
  for (int i = 0; i < 3'000; ++i) {
    const Nanoseconds interval = (8 + i % 5) * kMillisecond + Nanoseconds{i};
    at += interval + (i == 1'700 ? 5 * kSecond : Nanoseconds{});  // a pause in the middle
    frames.push_back({at, interval, i % 3 == 0 ? kUnknownTime : 7 * kMillisecond});
  }
  Clock clock;
  Recorder recorder(store, details, clock.function());
  for (const FrameRecord& frame : frames) {
    clock.now = frame.at;
    recorder.add(frame);
  }
  const std::int64_t id = recorder.finish();

  const Store again(folder / "a/b/runs.db", Store::Mode::existing);
  EXPECT_EQ(again.frames(id), frames);
  const RunInfo info = again.run(id);
  EXPECT_TRUE(info.finished);
  EXPECT_EQ(info.frames, frames.size());
  EXPECT_EQ(info.details.game, "Tidepool Rally");
  EXPECT_EQ(info.details.note, "a note");
  EXPECT_EQ(info.details.tags, details.tags);
  EXPECT_EQ(info.details.facts, details.facts);
  EXPECT_EQ(info.details.settings, details.settings);
  EXPECT_EQ(again.intervals(id)[1], frames[1].interval);
}

TEST(Store, ReadingsMayComeAndGoDuringARun) {
  const testing::Folder folder;
  Store store(folder / "runs.db");
  Recorder recorder(store, {});
  recorder.add({}, snapshot_of({kLoad, kApi}, {50.0, std::string("OpenGL")}));
  recorder.add(Moment{Nanoseconds{1}},
               snapshot_of({kTemp, kLoad, kApi}, {61.5, Missing{"asleep"}, std::string("OpenGL")}));
  recorder.add(Moment{Nanoseconds{2}}, snapshot_of({kTemp, kApi}, {62.5, std::string("Vulkan")}));
  const auto series = store.series(recorder.finish());
  ASSERT_EQ(series.size(), 3u);
  EXPECT_EQ(series[0].info, kLoad);
  EXPECT_EQ(number(series[0].values[0]), 50.0);
  EXPECT_FALSE(number(series[0].values[1]) || number(series[0].values[2]));
  EXPECT_EQ(series[1].info.text, true);
  EXPECT_EQ(series[1].values, (std::vector<Value>{std::string("OpenGL"), std::string("Vulkan")}));
  EXPECT_EQ(series[1].at, (std::vector<Moment>{{}, Moment{Nanoseconds{2}}}));  // texts are kept where they change
  EXPECT_EQ(series[2].info, kTemp);
  EXPECT_EQ(number(series[2].values[1]), 61.5);
}

TEST(Recorder, CommitsAtLeastOnceASecond) {
  const testing::Folder folder;
  Store store(folder / "runs.db");
  const Store reader(folder / "runs.db");
  Clock clock;
  Recorder recorder(store, {}, clock.function());
  for (int i = 1; i <= 1'000; ++i) {
    clock.now = Moment{i * 10 * kMillisecond};
    recorder.add({clock.now, 10 * kMillisecond});
    const Nanoseconds kept = reader.run(recorder.id()).length;
    ASSERT_GT(Moment{kept}, clock.now - kSecond) << i;
  }
}

TEST(Recorder, RunsNeverOverwriteEachOther) {
  const testing::Folder folder;
  Store store(folder / "runs.db");
  Clock clock;
  Recorder one(store, {.game = "One"}, clock.function());
  Store other(folder / "runs.db");
  Recorder two(other, {.game = "Two"}, clock.function());
  one.add({{}, Nanoseconds{10}});
  one.finish();
  two.add({{}, Nanoseconds{20}});
  two.finish();
  EXPECT_NE(one.id(), two.id());
  EXPECT_EQ(store.intervals(one.id()), std::vector{Nanoseconds{10}});
  EXPECT_EQ(store.intervals(two.id()), std::vector{Nanoseconds{20}});
}

TEST(Recorder, AKilledWriterLosesAtMostTheLastSecond) {
  const testing::Folder folder;
  const std::string store = (folder / "runs.db").string();
  int out[2];
  ASSERT_EQ(pipe(out), 0);
  const pid_t child = fork();
  if (child == 0) {
    dup2(out[1], 1);
    execl(ENDLESS_RECORDING, ENDLESS_RECORDING, store.c_str(), nullptr);
    _exit(127);
  }
  close(out[1]);
  FILE* lines = fdopen(out[0], "r");
  long long played = 0;  // nanoseconds of the child's clock at its last word
  for (int i = 0; i < 2'500; ++i) ASSERT_EQ(fscanf(lines, "%lld", &played), 1);
  kill(child, SIGKILL);
  int status = 0;
  waitpid(child, &status, 0);
  fclose(lines);
  ASSERT_TRUE(WIFSIGNALED(status) && WTERMSIG(status) == SIGKILL);

  const Store after(store, Store::Mode::existing);
  const RunInfo run = after.runs().at(0);
  EXPECT_FALSE(run.finished);
  EXPECT_GE(run.length, Nanoseconds{played} - kSecond);
  EXPECT_EQ(after.frames(run.id).size(), run.frames);
  EXPECT_FALSE(after.series(run.id).at(0).values.empty());
}

TEST(Store, RefusesOtherFilesAndLeavesThemAlone) {
  const testing::Folder folder;
  const std::string garbage(4'096, 'x');
  const auto text = folder.file("notes.txt", garbage);
  { Store store(folder / "cut.db"); }
  std::filesystem::resize_file(folder / "cut.db", 5'000);
  const struct {
    std::string file;
    Store::Mode mode;
    Error::Code code;
    const char* words;
  } cases[] = {
      {text.string(), Store::Mode::existing, Error::Code::unreadable, "not an Idle Meter store"},
      {text.string(), Store::Mode::create, Error::Code::unreadable, "not an Idle Meter store"},
      {(folder / "nowhere.db").string(), Store::Mode::existing, Error::Code::not_found, "there is no store here"},
      {folder.path().string(), Store::Mode::create, Error::Code::unreadable, "is a folder, not a store"},
      {folder.file("empty.db", "").string(), Store::Mode::existing, Error::Code::unreadable,
       "an empty file, not an Idle"},
      {"/dev/zero", Store::Mode::existing, Error::Code::unreadable, "is not a regular file"},
      {"/proc/idlemeter/runs.db", Store::Mode::create, Error::Code::unwritable, "cannot make the folder"},
      {(folder / "cut.db").string(), Store::Mode::existing, Error::Code::damaged, "the store is damaged"},
  };
  for (const auto& c : cases) {
    try {
      (void)Store(c.file, c.mode).runs();
      ADD_FAILURE() << c.file;
    } catch (const Error& error) {
      const std::string message = error.what();
      EXPECT_EQ(error.code(), c.code) << message;
      EXPECT_NE(message.find(c.words), std::string::npos) << c.file << ": " << message;
      EXPECT_EQ(message.find(c.file.substr(0, 6)), 0u) << message;  // where
    }
  }
  EXPECT_EQ(testing::text_of(text), garbage);
  EXPECT_FALSE(std::filesystem::exists(folder / "nowhere.db"));
}

TEST(SeriesSummary, IsOfTheSamplesThatHaveANumber) {
  const RunSeries series{kTemp, std::vector<Moment>(4), {60.0, Missing{"gone"}, 64.0, 68.0}};
  const auto summary = summarize(series);
  ASSERT_TRUE(summary);
  EXPECT_EQ(summary->samples, 3u);
  EXPECT_DOUBLE_EQ(summary->mean, 64);
  EXPECT_EQ(summary->least, 60);
  EXPECT_EQ(summary->most, 68);
  EXPECT_FALSE(summarize(RunSeries{kTemp, std::vector<Moment>(1), {Missing{"gone"}}}));
  // Large offsets lose no digits: the mean of 1e15 and 1e15 + 2.
  EXPECT_EQ(summarize(RunSeries{kLoad, std::vector<Moment>(2), {1e15, 1e15 + 2}})->mean, 1e15 + 1);
}

/// Changes a store in ways that Idle Meter never does.
void change(const std::filesystem::path& store, const std::string& sql) {
  sqlite3* database = nullptr;
  ASSERT_EQ(sqlite3_open(store.c_str(), &database), SQLITE_OK);
  EXPECT_EQ(sqlite3_exec(database, sql.c_str(), nullptr, nullptr, nullptr), SQLITE_OK) << sqlite3_errmsg(database);
  sqlite3_close(database);
}

TEST(Store, OneBadRunHidesNoOther) {
  const testing::Folder folder;
  const auto file = folder / "runs.db";
  {
    Store store(file);
    for (int run = 0; run < 3; ++run) {
      Recorder recorder(store, {.game = "Tidepool Rally"});
      for (int i = 1; i <= 300; ++i) recorder.add({Moment{i * 10 * kMillisecond}, 10 * kMillisecond, Nanoseconds{5}});
      recorder.add(Moment{kSecond}, snapshot_of({kLoad, kApi}, {50.0, std::string("OpenGL")}));
      if (run > 0) recorder.finish();  // the first stays in rows, the others are packed
    }
  }
  const std::string most = "9223372036854775807", least = "-9223372036854775807 - 1";
  change(file, "UPDATE frame_chunk SET length_ns = " + most + ", start_ns = " + least + " WHERE run = 1");
  change(file, "UPDATE frame_chunk SET start_ns = " + most + " WHERE run = 1 AND place = 1");
  change(file,
         "UPDATE frame_chunk SET intervals_ns = zeroblob(16) || intervals_ns || x'ffffffffffffff7f' WHERE run = 1 AND "
         "place = 2");
  change(file, "UPDATE sample SET at_ns = " + most + " WHERE run = 1; UPDATE sample_text SET at_ns = " + least);
  change(file, "UPDATE run SET started = 'now', game = x'1b5d353200ff' WHERE id = 1");
  const Store store(file, Store::Mode::existing);
  ASSERT_EQ(store.runs().size(), 3u);
  EXPECT_EQ(store.runs()[0].started, "now");
  EXPECT_EQ(store.runs()[0].length, Nanoseconds{}) << "what it says can't be";
  EXPECT_EQ(store.frames(1).size(), 300u);
  EXPECT_EQ(summarize(store.intervals(1)).left_out, 3u);
  EXPECT_TRUE(store.series(1)[0].values.empty());
  EXPECT_FALSE(moment_of(store, 1, Moment{kSecond}).values.entries().empty());
  for (std::int64_t run : {2, 3}) EXPECT_EQ(store.run(run).length, 3 * kSecond);
  change(file, "UPDATE frame_chunk SET intervals_ns = x'28b52ffd00' WHERE run = 2");
  change(file, "UPDATE sample_block SET samples = " + most + " WHERE run = 2");
  EXPECT_NE(message_of([&] { (void)store.frames(2); }).find("damaged"), std::string::npos);
  EXPECT_NE(message_of([&] { (void)store.series(2); }).find("damaged"), std::string::npos);
  EXPECT_EQ(store.frames(3).size(), 300u);
}

/// What a call does as another user, who may read the folder but not write to it.
std::string as_nobody(const std::function<std::string()>& call) {
  int ends[2];
  if (::pipe(ends) != 0) return "no pipe";
  const pid_t child = ::fork();
  if (child == 0) {
    if (::geteuid() == 0 && ::setuid(65534) != 0) ::_exit(1);
    const std::string text = message_of([&] { throw Error(call()); });
    ::_exit(::write(ends[1], text.data(), text.size()) == static_cast<ssize_t>(text.size()) ? 0 : 1);
  }
  ::close(ends[1]);
  std::string text(4'096, '\0');
  text.resize(static_cast<std::size_t>(std::max<ssize_t>(0, ::read(ends[0], text.data(), text.size()))));
  ::close(ends[0]);
  ::waitpid(child, nullptr, 0);
  return text;
}

std::int64_t count_of(const std::filesystem::path& store, const std::string& sql) {
  sqlite3* database = nullptr;
  EXPECT_EQ(sqlite3_open(store.c_str(), &database), SQLITE_OK);
  sqlite3_stmt* statement = nullptr;
  EXPECT_EQ(sqlite3_prepare_v2(database, sql.c_str(), -1, &statement, nullptr), SQLITE_OK) << sqlite3_errmsg(database);
  const std::int64_t count = sqlite3_step(statement) == SQLITE_ROW ? sqlite3_column_int64(statement, 0) : -1;
  sqlite3_finalize(statement);
  sqlite3_close(database);
  return count;
}

/// Readings like a machine's: some stand still, most waver by a few of their steps.
class ManyReadings {
 public:
  ManyReadings() {
    std::vector<ReadingInfo> infos;
    for (int i = 0; i < 250; ++i) infos.push_back({.id = "a.r" + std::to_string(i), .unit = Unit::watt});
    list_ = std::make_shared<const ReadingList>(std::move(infos));
    values_.assign(250, 40.0);
  }

  Snapshot next(Moment at) {
    for (std::size_t i = 0; i < values_.size(); ++i)
      values_[i] += i % 4 == 0 ? 0 : 0.125 * static_cast<double>(static_cast<int>(random_() % 9) - 4);
    return {at, {std::make_shared<const Batch>(Batch{list_, {values_.begin(), values_.end()}, at})}};
  }

 private:
  std::mt19937_64 random_{7};
  std::shared_ptr<const ReadingList> list_;
  std::vector<double> values_;
};

TEST(Store, PacksWhatIsAMinuteOldExactlyAndSmall) {
  const testing::Folder folder;
  const auto file = folder / "runs.db";
  Store store(file);
  Clock clock;
  Recorder recorder(store, {}, clock.function());
  ManyReadings readings;
  std::mt19937_64 random(3);
  std::vector<FrameRecord> frames;
  std::vector<std::pair<Moment, double>> samples;  // of the second reading
  Moment due{};
  for (int i = 0; i < 60'000; ++i) {  // five minutes at 200 frames a second, with a pause
    const Nanoseconds length = 5 * kMillisecond + Nanoseconds(static_cast<int>(random() % 400'000) - 200'000);
    clock.now += length + (i == 20'000 ? 7 * kSecond : Nanoseconds{});
    frames.push_back({clock.now, length, i % 1'000 == 0 ? kUnknownTime : length * 4 / 5});
    recorder.add(frames.back());
    if (clock.now < due) continue;
    due = clock.now + kSecond / 2;
    const Snapshot snapshot = readings.next(clock.now);
    samples.emplace_back(clock.now, *number(*snapshot.find("a.r1").value));
    recorder.add(clock.now, snapshot);
  }
  recorder.flush();
  const auto check = [&] {
    EXPECT_EQ(store.frames(1), frames);
    const RunSeries series = store.series(1).at(1);
    ASSERT_EQ(series.at.size(), samples.size());
    for (std::size_t i = 0; i < samples.size(); ++i)
      ASSERT_EQ(std::pair(series.at[i], *number(series.values[i])), samples[i]) << i;
  };
  check();
  recorder.finish();
  check();
  EXPECT_LE(count_of(file, "SELECT count(*) FROM frame_chunk"), 15);
  EXPECT_EQ(count_of(file, "SELECT count(*) FROM sample"), 0);
  change(file, "PRAGMA wal_checkpoint(TRUNCATE)");
  EXPECT_LT(std::filesystem::file_size(file), 15'000'000 / 12) << "an hour would take 15 MB";
}

TEST(Store, AnOlderOneIsMigratedOrReadAsItIs) {
  const testing::Folder folder;
  const auto file = folder / "runs.db";
  {
    Store store(file);
    Recorder recorder(store, {.game = "Tidepool Rally"});
    recorder.add({Moment{kSecond}, kSecond});
    recorder.add(Moment{kSecond}, snapshot_of({kLoad}, {50.0}));
  }
  change(
      file,
      "ALTER TABLE run_reading DROP COLUMN alias; ALTER TABLE frame_chunk DROP COLUMN packed; DROP TABLE sample_block; "
      "PRAGMA user_version = 1; PRAGMA wal_checkpoint(TRUNCATE)");
  const auto read = [&] {
    const Store store(file, Store::Mode::existing);
    return fmt::format("{} {}", store.frames(1).size(), *number(store.series(1).at(0).values.at(0)));
  };
  using std::filesystem::perms;
  std::filesystem::permissions(file, perms::owner_read | perms::group_read | perms::others_read);
  std::filesystem::permissions(folder.path(), static_cast<perms>(0555));
  EXPECT_EQ(as_nobody(read), "1 50");
  EXPECT_EQ(count_of(file, "PRAGMA user_version"), 1);
  std::filesystem::permissions(folder.path(), perms::owner_all);
  std::filesystem::permissions(file, perms::owner_read | perms::owner_write);
  EXPECT_EQ(read(), "1 50");
  EXPECT_EQ(count_of(file, "PRAGMA user_version"), 2);
  Store store(file);
  Recorder recorder(store, {});
  ReadingInfo aliased = kLoad;
  aliased.alias = "gpu0.load";
  recorder.add({}, snapshot_of({aliased}, {50.0}));
  EXPECT_EQ(store.series(recorder.finish()).at(0).info.alias, "gpu0.load");
  const RunMoment moment = moment_of(store, 2, Moment{kSecond});
  EXPECT_NE(moment.values.find("gpu0.load").info, nullptr) << "a face may name the card by its number";
}

TEST(Recorder, ImpossibleTimesAreCountedNotKept) {
  const testing::Folder folder;
  Store store(folder / "runs.db");
  Recorder recorder(store, {});
  constexpr Nanoseconds kMost = Nanoseconds::max(), kLeast = Nanoseconds::min(), kOne{1};
  for (const FrameRecord& frame :
       {FrameRecord{Moment{kMost}, kOne}, {Moment{kLeast}, kOne}, {{}, kMost}, {{}, kLeast}, {{}, {}}, {{}, -kOne}})
    recorder.add(frame);
  const Moment at{kSecond};
  recorder.add({at, kSecond, kLeast});
  EXPECT_EQ(recorder.refused(), 6u);
  EXPECT_EQ(store.frames(recorder.finish()), (std::vector<FrameRecord>{{at, kSecond}}));
  EXPECT_THROW(recorder.add({at, kSecond}), std::logic_error);
}

TEST(Store, InAFolderThatCannotBeWrittenToCanBeRead) {
  const testing::Folder folder;
  const auto file = folder / "a b?#%.db";
  {
    Store store(file);
    Recorder(store, {.game = "Tidepool Rally"}).finish();
  }
  using std::filesystem::perms;
  std::filesystem::permissions(file, perms::owner_read | perms::group_read | perms::others_read);
  std::filesystem::permissions(folder.path(), static_cast<perms>(0555));
  EXPECT_EQ(as_nobody([&] { return Store(file, Store::Mode::existing).runs().at(0).details.game; }), "Tidepool Rally");
  EXPECT_NE(as_nobody([&] {
              Store store(file);
              return std::to_string(Recorder(store, {}).finish());
            }).find("be written to"),
            std::string::npos);
  std::filesystem::permissions(folder.path(), perms::owner_all);
}

TEST(Store, ALockIsWaitedForAsLongAsWasSaid) {
  const testing::Folder folder;
  Store store(folder / "runs.db");
  sqlite3* other = nullptr;
  ASSERT_EQ(sqlite3_open((folder / "runs.db").c_str(), &other), SQLITE_OK);
  ASSERT_EQ(sqlite3_exec(other, "BEGIN IMMEDIATE", nullptr, nullptr, nullptr), SQLITE_OK);
  int asked = 0;
  const LockWait wait{std::chrono::hours(1), [&] { return ++asked > 2; }};
  Store waiting(folder / "runs.db", Store::Mode::create, wait);
  EXPECT_NE(message_of([&] { Recorder(waiting, {}).finish(); }).find("another program has the store locked"),
            std::string::npos);
  EXPECT_EQ(asked, 3);
  sqlite3_close(other);
  EXPECT_EQ(Recorder(waiting, {}).finish(), 1) << "and goes on afterwards";
}

TEST(Store, NamesTheRunsThatThereAre) {
  const testing::Folder folder;
  Store store(folder / "runs.db");
  EXPECT_NE(message_of([&] { (void)store.run(1); }).find("the store has no runs yet"), std::string::npos);
  Recorder(store, {}).finish();
  Recorder(store, {}).finish();
  EXPECT_NE(message_of([&] { (void)store.run(9); }).find("there is no run 9; the store has 1, 2"), std::string::npos);
  for (int i = 0; i < 40; ++i) Recorder(store, {}).finish();
  change(folder / "runs.db", "DELETE FROM run WHERE id = 30");
  EXPECT_NE(message_of([&] { (void)store.run(99); }).find("the store has 1 to 29, 31 to 42"), std::string::npos);
  change(folder / "runs.db", "DELETE FROM run WHERE id % 2 = 1");
  EXPECT_NE(message_of([&] { (void)store.run(99); }).find("20 runs from 2 to 42"), std::string::npos);
}

}  // namespace
}  // namespace idlemeter
