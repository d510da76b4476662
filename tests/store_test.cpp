#include "idlemeter/runs/store.hpp"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <signal.h>
#include <sqlite3.h>
#include <stdio.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cmath>
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
#include "idlemeter/insight/second_series.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/runs/background_recorder.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/run_moment.hpp"
#include "idlemeter/runs/series_summary.hpp"
#include "stores.hpp"

namespace idlemeter {
namespace {

using namespace testing;

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

TEST(Store, SamplesCanBeReadAPartAtATime) {
  const testing::Folder folder;
  Store store(folder / "runs.db");
  Recorder recorder(store, {});
  const auto put = [&](int from, int to) {
    for (int i = from; i < to; ++i) {
      const Moment at{i * kSecond / 2};
      const Value temp = i % 7 == 0 ? Value(Missing{"asleep"}) : Value(50.0 + i);
      recorder.add({at, kSecond / 2});
      recorder.add(at, i < 150 ? snapshot_of({kLoad, kApi}, {1.0 * i, std::string("Vulkan")})
                               : snapshot_of({kApi, kTemp, kLoad}, {std::string("Vulkan"), temp, 1.0 * i}));
    }
  };
  put(1, 400);  // some minutes are in blocks by then, the last one is in rows
  EXPECT_EQ(store.readings(recorder.id()), (std::vector<ReadingInfo>{kLoad, kApi, kTemp}));
  RunSeries load{kLoad, {}, {}}, temp{kTemp, {}, {}};
  int parts = 0;
  store.read_samples(recorder.id(), [&](const RunSamples& samples) {
    ++parts;
    for (std::size_t i = 0; i < samples.at.size(); ++i) {
      load.at.push_back(samples.at[i]);
      load.values.emplace_back(samples.columns.at(0).at(i));
      const double degrees = samples.columns.size() < 3 ? NAN : samples.columns[2].at(i);
      temp.at.push_back(samples.at[i]);
      temp.values.push_back(std::isnan(degrees) ? Value(Missing{"missing when it was recorded"}) : Value(degrees));
    }
  });
  EXPECT_EQ(parts, 4);
  EXPECT_EQ(load.values.size(), 399u);
  const auto all = store.series(recorder.id());
  EXPECT_EQ(all.at(0).at, load.at);
  EXPECT_EQ(all.at(0).values, load.values);
  EXPECT_EQ(all.at(2).values, temp.values);
  const auto one = store.series(recorder.id(), [](const ReadingInfo& info) { return info.id == kTemp.id; });
  ASSERT_EQ(one.size(), 1u);
  EXPECT_EQ(one[0].at, temp.at);
  EXPECT_EQ(one[0].values, temp.values);
  const auto seconds = seconds_of(store, recorder.id()), same = seconds_of(store.frames(recorder.id()), all);
  ASSERT_EQ(seconds.size(), same.size());
  for (std::size_t i = 0; i < seconds.size(); ++i) {
    EXPECT_EQ(seconds[i].info, same[i].info);
    EXPECT_EQ(seconds[i].begin, same[i].begin);
    EXPECT_EQ(seconds[i].values, same[i].values);
  }
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

/// Kills a recorder after so many frames; the nanoseconds that it said it had recorded until then.
Nanoseconds killed_after(int frames, const std::string& store) {
  int out[2];
  EXPECT_EQ(pipe(out), 0);
  const pid_t child = fork();
  if (child == 0) {
    dup2(out[1], 1);
    execl(ENDLESS_RECORDING, ENDLESS_RECORDING, store.c_str(), nullptr);
    _exit(127);
  }
  close(out[1]);
  FILE* lines = fdopen(out[0], "r");
  long long played = 0;  // nanoseconds of the child's clock at its last word
  for (int i = 0; i < frames; ++i) EXPECT_EQ(fscanf(lines, "%lld", &played), 1);
  kill(child, SIGKILL);
  int status = 0;
  waitpid(child, &status, 0);
  fclose(lines);
  EXPECT_TRUE(WIFSIGNALED(status) && WTERMSIG(status) == SIGKILL);
  return Nanoseconds{played};
}

/// At a hundred random moments, into one store; some while rows are packed.
TEST(Recorder, AKilledWriterLosesAtMostTheLastSecond) {
  const testing::Folder folder;
  const std::string store = (folder / "runs.db").string();
  std::mt19937 random(7);
  for (std::size_t kill = 0; kill < 100; ++kill) {
    const int frames = 1 + static_cast<int>(random() % (kill % 20 == 0 ? 7'000 : 400));
    const Nanoseconds played = killed_after(frames, store);
    const Store after(store, Store::Mode::existing);
    ASSERT_EQ(after.runs().size(), kill + 1) << "the store opens each time";
    const RunInfo run = after.runs().back();
    EXPECT_FALSE(run.finished || run.end);
    EXPECT_GE(run.length, played - kSecond) << frames;
    EXPECT_EQ(after.frames(run.id).size(), run.frames) << frames;
    if (played > 2 * kSecond) {
      EXPECT_FALSE(after.series(run.id).at(0).values.empty());
    }
  }
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
  EXPECT_THROW(recorder.add({at, kSecond}), Error);
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
