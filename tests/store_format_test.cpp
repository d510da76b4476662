// How runs are kept in a store's file: packed, migrated, read-only.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <functional>
#include <random>

#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/run_moment.hpp"
#include "idlemeter/runs/store.hpp"
#include "stores.hpp"

namespace idlemeter {
namespace {

using namespace testing;

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
  change(file,
         "DROP TABLE run_result; DROP INDEX run_by_uuid; ALTER TABLE run DROP COLUMN ended; ALTER TABLE run DROP "
         "COLUMN lost; ALTER TABLE run "
         "DROP COLUMN uuid; ALTER TABLE run DROP COLUMN removed; ALTER TABLE run DROP COLUMN frames; ALTER TABLE run "
         "DROP COLUMN length_ns; ALTER TABLE run DROP COLUMN recorder; ALTER TABLE run_reading DROP COLUMN "
         "alias; ALTER TABLE frame_chunk DROP COLUMN packed; DROP TABLE sample_block; "
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
  EXPECT_EQ(count_of(file, "PRAGMA user_version"), 5);
  Store store(file);
  Recorder recorder(store, {});
  ReadingInfo aliased = kLoad;
  aliased.alias = "gpu0.load";
  recorder.add({}, snapshot_of({aliased}, {50.0}));
  EXPECT_EQ(store.series(recorder.finish()).at(0).info.alias, "gpu0.load");
  const RunMoment moment = moment_of(store, 2, Moment{kSecond});
  EXPECT_NE(moment.values.find("gpu0.load").info, nullptr) << "a face may name the card by its number";
}

TEST(Store, TwoMigratedCopiesOfAnOlderOneHaveTheSameRuns) {
  const testing::Folder folder;
  const auto file = folder / "a.db", copy = folder / "b.db";
  {
    Store store(file);
    for (const int frames : {130'000, 3}) {
      Recorder recorder(store, {.game = "Tidepool Rally"});
      for (int i = 1; i <= frames; ++i) recorder.add({Moment{i * kMillisecond}, kMillisecond});
      recorder.finish();
    }
  }
  change(file,
         "DROP TABLE run_result; DROP INDEX run_by_uuid; ALTER TABLE run DROP COLUMN ended; ALTER TABLE run DROP "
         "COLUMN lost; ALTER TABLE run "
         "DROP COLUMN uuid; ALTER TABLE run DROP COLUMN removed; ALTER TABLE run DROP COLUMN frames; ALTER TABLE run "
         "DROP COLUMN length_ns; ALTER TABLE run DROP COLUMN recorder; PRAGMA user_version = 2; PRAGMA "
         "wal_checkpoint(TRUNCATE)");
  std::filesystem::copy_file(file, copy);
  Store a(file), b(copy);
  EXPECT_EQ(a.runs().at(0).frames, 130'000u);
  EXPECT_EQ(a.runs().at(0).length, 130 * kSecond);
  EXPECT_EQ(a.runs().at(1).frames, 3u);
  EXPECT_EQ(a.add(b).already, 2u);
  Recorder(b, {.game = "Tidepool Rally 2"}).finish();
  const auto added = a.add(b);
  EXPECT_EQ(added.already, 2u);
  EXPECT_EQ(a.runs().at(2).details.game, "Tidepool Rally 2");
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

}  // namespace
}  // namespace idlemeter
