// What becomes of runs after they were recorded: changed, removed, copied, checked.
#include <gtest/gtest.h>

#include <algorithm>

#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/repair.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/run_filter.hpp"
#include "idlemeter/runs/store.hpp"
#include "stores.hpp"

namespace idlemeter {
namespace {

using namespace testing;
using Ids = std::vector<std::int64_t>;

/// A run of some frames with a reading.
std::int64_t record(Store& store, const RunDetails& details, int frames, bool finishes = true) {
  Recorder recorder(store, details, [] { return Moment{}; });
  Moment at{};
  for (int i = 1; i <= frames; ++i) {
    const Nanoseconds length = kMillisecond + Nanoseconds{i * 7'919LL % 99'991};
    recorder.add({at += length, length, kUnknownTime});
  }
  recorder.add(Moment{kSecond}, snapshot_of({kLoad, kApi}, {42.0, "Vulkan"}));
  return finishes ? recorder.finish() : recorder.id();
}

Ids ids_of(const std::vector<RunInfo>& runs) {
  Ids ids;
  for (const RunInfo& run : runs) ids.push_back(run.id);
  return ids;
}

TEST(FillStore, LeavesAStoreThatIsWholeOrNone) {
  const Folder folder;
  const auto file = folder / "new/runs.db";
  const auto files = [&] {
    std::error_code absent;
    return std::distance(std::filesystem::directory_iterator(folder / "new", absent), {});
  };
  EXPECT_THROW(fill_store(file,
                          [](Store& store) {
                            record(store, {"Tidepool Rally"}, 10);
                            throw Error(Error::Code::failed, "in the middle");
                          }),
               Error);
  EXPECT_EQ(files(), 0) << "not even an empty one";
  fill_store(file, [](Store& store) { record(store, {"Tidepool Rally"}, 10); });
  EXPECT_EQ(files(), 1);
  fill_store(file, [](Store& store) { record(store, {"Tidepool Rally"}, 10); });
  EXPECT_EQ(Store(file, Store::Mode::existing).runs().size(), 2u);
}

TEST(StoreChanges, TakesNoRunWhoseDateIsNone) {
  const Folder folder;
  for (const char* date : {"", "now", "2026-13-01T00:00:00Z", "2026-02-30T00:00:00Z", "2026-02-03T24:00:00Z",
                           "2026-02-03 10:00:00Z", "0000-00-00T00:00:00Z"}) {
    const auto file = folder / "bad.db", mended = folder / "mended.db";
    {
      Store bad(file);
      record(bad, {"Tidepool Rally"}, 10);
    }
    change(file, std::string("UPDATE run SET started = '") + date + "'");
    const Store bad(file, Store::Mode::existing);
    EXPECT_EQ(bad.check().size(), 1u) << date;
    Store into(folder / "runs.db");
    EXPECT_THROW(into.add(bad), Error) << date;
    EXPECT_EQ(into.runs().size(), 0u);
    const RepairedStore repaired = repair_store(file, mended);
    EXPECT_EQ(repaired.lost, std::vector<std::string>{"run 1: its date"}) << date;
    EXPECT_EQ(into.add(Store(mended, Store::Mode::existing)).runs.size(), 1u);
    for (const char* made : {"bad.db", "mended.db", "runs.db"}) std::filesystem::remove(folder / made);
  }
}

TEST(StoreChanges, ChangeAllRunsOrNone) {
  const Folder folder;
  Store store(folder / "runs.db");
  record(store, {"Tidepool Rally", "old", {"cool"}, {{"GPU", "Marl G9"}}, {{"Preset", "High"}, {"Fan", "on"}}}, 10);
  record(store, {"Tidepool Rally"}, 20);
  const RunChange change{.game = "Rally 2",
                         .note = "new",
                         .tags = {"late"},
                         .tags_to_drop = {"cool"},
                         .settings = {{"Preset", "Low"}},
                         .settings_to_drop = {"Fan"}};
  EXPECT_THROW(store.change(Ids{1, 9}, change), Error);
  EXPECT_EQ(store.run(1).details.game, "Tidepool Rally") << "not half of it";
  store.change(Ids{1, 2}, change);
  for (const RunInfo& run : store.runs()) {
    EXPECT_EQ(run.details.game, "Rally 2");
    EXPECT_EQ(run.details.note, "new");
    EXPECT_EQ(run.details.tags, std::vector<std::string>{"late"});
    EXPECT_EQ(run.details.settings, (std::map<std::string, std::string>{{"Preset", "Low"}}));
  }
  EXPECT_EQ(store.run(1).details.facts.at("GPU"), "Marl G9");
}

TEST(StoreChanges, RemovedRunsComeBackUntilTheStoreIsCompacted) {
  const Folder folder;
  const auto file = folder / "runs.db";
  Store store(file);
  for (int i = 0; i < 3; ++i) record(store, {"Rally"}, 50'000);
  store.remove(Ids{1, 2});
  EXPECT_EQ(ids_of(store.runs()), Ids{3});
  EXPECT_EQ(ids_of(store.runs(Store::Facts::none, Store::Which::removed)), (Ids{1, 2}));
  EXPECT_NE(message_of([&] { (void)store.run(1); }).find("run 1 was removed; restore it"), std::string::npos);
  EXPECT_THROW(store.remove(Ids{3, 1}), Error);
  EXPECT_EQ(ids_of(store.runs()), Ids{3});
  store.restore(Ids{1});
  EXPECT_EQ(store.run(1).frames, 50'000u);
  EXPECT_THROW(store.restore(Ids{1}), Error);
  testing::change(file, "PRAGMA wal_checkpoint(TRUNCATE)");
  const auto before = std::filesystem::file_size(file);
  EXPECT_EQ(store.compact(), 1u);
  EXPECT_LT(std::filesystem::file_size(file), before * 4 / 5);
  EXPECT_THROW(store.restore(Ids{2}), Error);
  EXPECT_EQ(store.frames(3).size(), 50'000u);
  EXPECT_EQ(record(store, {"Rally"}, 5), 4) << "no number is used twice";
  record(store, {"Rally"}, 5, false);
  EXPECT_NE(message_of([&] { store.remove(Ids{5}); }).find("run 5 isn't finished: it may still be recorded"),
            std::string::npos);
}

TEST(StoreChanges, RunsOfOtherStoresAreCopiedOnce) {
  const Folder folder;
  Store rig(folder / "rig.db"), all(folder / "all.db");
  record(all, {"Rally"}, 7);
  record(rig, {"Rally", "a note", {"cool"}, {{"GPU", "Marl G9"}}, {{"Preset", "High"}}}, 150'000);
  record(rig, {"Rally"}, 30);
  record(rig, {"Rally"}, 30, false);
  const Store::Added added = all.add(rig, Ids{1});
  EXPECT_EQ(added.runs, Ids{2});
  EXPECT_EQ(all.frames(2), rig.frames(1));
  EXPECT_EQ(all.run(2).details.tags, std::vector<std::string>{"cool"});
  EXPECT_EQ(all.run(2).details.facts, rig.run(1).details.facts);
  EXPECT_EQ(all.run(2).end, RunEnd::asked);
  ASSERT_EQ(all.series(2).size(), 2u);
  EXPECT_EQ(all.series(2)[0].values, rig.series(1)[0].values);
  EXPECT_EQ(all.series(2)[1].values, (std::vector<Value>{"Vulkan"}));
  const Store::Added rest = all.add(rig);
  EXPECT_EQ(rest.runs, (Ids{3, 4}));
  EXPECT_EQ(rest.already, 1u);
  all.remove(Ids{2});
  EXPECT_EQ(all.add(rig).already, 3u) << "a removed one doesn't come back by itself";
  EXPECT_EQ(rig.add(all).runs, Ids{4}) << "and the other way round";
  EXPECT_TRUE(all.check().empty());
  EXPECT_GT(all.sizes().at(1), 50u);
}

TEST(StoreChanges, ARunThatWasCopiedWhileItWasRecordedIsContinued) {
  const Folder folder;
  Store rig(folder / "rig.db"), all(folder / "all.db");
  Recorder recorder(rig, {.game = "Rally"}, [] { return Moment{}; });
  Moment at{};
  const auto play = [&](int frames) {
    for (int i = 0; i < frames; ++i) recorder.add({at += 10 * kMillisecond, 10 * kMillisecond});
    recorder.add(at, snapshot_of({kLoad}, {42.0}));
    recorder.flush();
  };
  play(150);
  const Store::Added first = all.add(rig);
  EXPECT_EQ(first.runs, Ids{1});
  EXPECT_EQ(first.unfinished, Ids{1});
  all.change(Ids{1}, {.note = "mine", .tags = {"kept"}});
  EXPECT_EQ(all.add(rig).already, 1u) << "nothing new";
  play(8'000);
  recorder.finish();
  const Store::Added rest = all.add(rig);
  EXPECT_EQ(rest.continued, Ids{1});
  EXPECT_EQ(rest.unfinished, Ids());
  EXPECT_EQ(all.frames(1), rig.frames(1));
  EXPECT_EQ(all.series(1).at(0).at.size(), 2u);
  EXPECT_EQ(all.run(1).details.note, "mine");
  EXPECT_EQ(all.run(1).details.tags, std::vector<std::string>{"kept"});
  EXPECT_TRUE(all.run(1).finished);
  EXPECT_EQ(all.add(rig).already, 1u);
  EXPECT_EQ(rig.add(all).already, 1u) << "the shorter one never replaces the longer";
  EXPECT_TRUE(all.check().empty());
}

TEST(StoreChanges, RunsWithTheSameMarkOrNoneAreRunsOfTheirOwn) {
  const Folder folder;
  for (const char* sql : {"UPDATE run SET uuid = ''", "UPDATE run SET uuid = 'the same'"}) {
    Store rig(folder / "rig.db"), all(folder / "all.db");
    for (int i = 1; i <= 13; ++i) record(rig, {"Rally"}, 10 * i);
    testing::change(folder / "rig.db", sql);
    EXPECT_EQ(all.add(rig).runs.size(), 13u) << sql;
    EXPECT_EQ(all.add(rig).already, 13u) << sql;
    EXPECT_EQ(all.add(rig, Ids{5, 9}).already, 2u) << sql;
    EXPECT_EQ(all.runs().at(8).frames, 90u);
    for (const char* file : {"rig.db", "all.db"}) std::filesystem::remove(folder / file);
  }
}

TEST(StoreChanges, ARunIsInProgressWhileItsProcessLives) {
  const Folder folder;
  Store store(folder / "runs.db");
  Recorder recorder(store, {"Rally"}, [] { return Moment{}; });
  testing::change(folder / "runs.db", "UPDATE run SET started = '2020-01-01T00:00:00Z'");  // for years, it seems
  EXPECT_NE(message_of([&] { store.remove(Ids{1}); }).find("may still be recorded"), std::string::npos);
  testing::change(folder / "runs.db", "UPDATE run SET recorder = 'another-start-of-the-machine 7 7'");
  store.remove(Ids{1});
  EXPECT_EQ(store.compact(), 1u);
}

TEST(StoreChanges, ACheckFindsWhatIsDamaged) {
  const Folder folder;
  const auto file = folder / "runs.db";
  Store store(file);
  record(store, {"Rally"}, 130'000);  // packed
  record(store, {"Rally"}, 10);
  EXPECT_TRUE(store.check().empty());
  testing::change(file, "UPDATE frame_chunk SET intervals_ns = zeroblob(40) WHERE run = 1 AND place = 0");
  const auto problems = store.check();
  ASSERT_EQ(problems.size(), 1u);
  EXPECT_TRUE(problems[0].starts_with("run 1: ")) << problems[0];
  Store repaired(folder / "new.db");
  EXPECT_EQ(repaired.add(store, Ids{2}).runs, Ids{1});
}

TEST(StoreChanges, WorkBesideARecording) {
  const Folder folder;
  Store store(folder / "runs.db"), other(folder / "runs.db");
  record(store, {"Rally"}, 10);
  Recorder recorder(other, {"Rally"}, [] { return Moment{}; });
  recorder.add({Moment{kMillisecond}, kMillisecond, kUnknownTime});
  recorder.flush();
  store.change(Ids{1}, {.note = "meanwhile"});
  store.remove(Ids{1});
  EXPECT_EQ(store.compact(), 1u);
  recorder.add({Moment{2 * kMillisecond}, kMillisecond, kUnknownTime});
  const std::int64_t run = recorder.finish();
  EXPECT_EQ(store.run(run).frames, 2u);
}

TEST(RunFilter, TakesRunsOfWhichAllHolds) {
  RunInfo run;
  run.started = "2026-03-05T20:15:00Z";
  run.details = {"Tidepool Rally", "evening tide", {"Cool"}, {{"GPU", "Marl G9"}}, {{"Preset", "High"}}};
  const struct {
    RunFilter filter;
    bool matches;
  } cases[] = {{{}, true},
               {{.game = "rally"}, true},
               {{.game = "Reef"}, false},
               {{.text = "TIDE"}, true},
               {{.text = "preset high"}, true},
               {{.text = "marl"}, false},
               {{.tags = {"cool"}}, true},
               {{.tags = {"cool", "late"}}, false},
               {{.settings = {{"preset", "high"}}}, true},
               {{.settings = {{"preset", "low"}}}, false},
               {{.since = "2026-03-05"}, true},
               {{.since = "2026-03-06"}, false},
               {{.until = "2026-03-05"}, true},
               {{.until = "2026-03-04"}, false},
               {{.game = "rally", .since = "2027"}, false}};
  for (const auto& one : cases) EXPECT_EQ(one.filter.matches(run), one.matches) << &one - cases;
}

}  // namespace
}  // namespace idlemeter
