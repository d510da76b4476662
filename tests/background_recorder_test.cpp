#include "idlemeter/runs/background_recorder.hpp"

#include <gtest/gtest.h>
#include <sqlite3.h>

#include <future>
#include <optional>
#include <stdexcept>
#include <thread>

#include "folder.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {
namespace {

/// Another program that has the store locked.
class Lock {
 public:
  explicit Lock(const std::filesystem::path& store) {
    EXPECT_EQ(sqlite3_open(store.c_str(), &other_), SQLITE_OK);
    EXPECT_EQ(sqlite3_exec(other_, "BEGIN IMMEDIATE", nullptr, nullptr, nullptr), SQLITE_OK);
  }
  Lock(const Lock&) = delete;
  Lock& operator=(const Lock&) = delete;
  ~Lock() { sqlite3_close(other_); }

 private:
  sqlite3* other_ = nullptr;
};

Snapshot one_load() {
  const auto list = std::make_shared<const ReadingList>(std::vector<ReadingInfo>{{.id = "gpu.load"}});
  return Snapshot({}, {std::make_shared<const Batch>(Batch{list, {50.0}, {}})});
}

std::vector<FrameRecord> steady(std::size_t first, std::size_t count) {
  std::vector<FrameRecord> frames;
  for (std::size_t i = first; i < first + count; ++i)
    frames.push_back({Moment{static_cast<int>(i + 1) * kMillisecond}, kMillisecond});
  return frames;
}

/// The end comes by itself, and the meter says later what was lost.
TEST(BackgroundRecorder, KeepsWhatWasLostBeforeItEndedByItself) {
  const testing::Folder folder;
  {
    BackgroundRecorder recorder(folder / "runs.db", {.game = "Tidepool Rally"});
    recorder.add(steady(0, 1'000));
    recorder.note_lost(7);
    recorder.finish(RunEnd::time);
    recorder.finish(RunEnd::asked, 3);
    EXPECT_TRUE(recorder.wait(std::chrono::seconds(30)));
  }
  EXPECT_EQ(Store(folder / "runs.db", Store::Mode::existing).run(1).lost, 7u);
}

TEST(BackgroundRecorder, WaitsForALockWithoutLosingAFrame) {
  using Phase = BackgroundRecorder::Phase;
  const testing::Folder folder;
  { const Store store(folder / "runs.db"); }
  std::optional<Lock> lock(folder / "runs.db");
  BackgroundRecorder recorder(folder / "runs.db", {.game = "Tidepool Rally"});
  recorder.add(steady(0, 1'000));
  recorder.add(Moment{kSecond}, one_load());
  EXPECT_FALSE(recorder.wait(std::chrono::milliseconds(50)));
  EXPECT_EQ(recorder.state().phase, Phase::opening);
  recorder.add(steady(1'000, 1'000));
  recorder.finish();
  recorder.add(steady(2'000, 10));  // after its end
  lock.reset();
  ASSERT_TRUE(recorder.wait(std::chrono::minutes(1)));
  EXPECT_EQ(recorder.state().phase, Phase::finished);
  const Store store(folder / "runs.db", Store::Mode::existing);
  EXPECT_EQ(store.frames(recorder.state().run), steady(0, 2'000));
  EXPECT_TRUE(store.run(1).finished);
  EXPECT_EQ(store.series(1).size(), 1u);
}

TEST(BackgroundRecorder, EndsWithWhatItHasWhenItsQueueIsFull) {
  const testing::Folder folder;
  { const Store store(folder / "runs.db"); }
  std::optional<Lock> lock(folder / "runs.db");
  BackgroundRecorder recorder(folder / "runs.db", {});
  for (std::size_t i = 0; i < limits::kFramesToWrite; i += 1 << 16) recorder.add(steady(i, 1 << 16));
  EXPECT_EQ(recorder.state().problem, "") << "as much as may be";
  recorder.add(steady(limits::kFramesToWrite, 1));
  EXPECT_NE(recorder.state().problem.find("the run was stopped because nothing could be written any more"),
            std::string::npos);
  lock.reset();
  ASSERT_TRUE(recorder.wait(std::chrono::minutes(2)));
  EXPECT_EQ(Store(folder / "runs.db", Store::Mode::existing).run(1).frames, limits::kFramesToWrite);
}

TEST(BackgroundRecorder, SaysWhyItFailedAndItsEndNeverHangs) {
  const testing::Folder folder;
  folder.file("notes.txt", std::string(5'000, 'x'));
  const std::pair<std::filesystem::path, const char*> cases[] = {{folder.path(), "is a folder, not a store"},
                                                                 {folder / "notes.txt", "not an Idle Meter store"},
                                                                 {"/dev/null", "is not a regular file"},
                                                                 {"/proc/none/runs.db", "cannot make the folder"}};
  for (const auto& [store, words] : cases) {
    BackgroundRecorder recorder(store, {});
    recorder.add(steady(0, 10));
    ASSERT_TRUE(recorder.wait(std::chrono::minutes(1)));
    EXPECT_EQ(recorder.state().phase, BackgroundRecorder::Phase::failed);
    EXPECT_NE(recorder.state().problem.find(words), std::string::npos) << recorder.state().problem;
  }
  { const Store store(folder / "runs.db"); }
  const Lock lock(folder / "runs.db");
  BackgroundRecorder locked(folder / "runs.db", {});
  locked.give_up();
  ASSERT_TRUE(locked.wait(std::chrono::minutes(1)));
  EXPECT_NE(locked.state().problem.find("another program has the store locked"), std::string::npos);
}

TEST(BackgroundRecorder, TakesWhatIsFoundOutLateAndGoesOnWithoutIt) {
  using Phase = BackgroundRecorder::Phase;
  const testing::Folder folder;
  const auto store = folder / "runs.db";
  const auto compositor_of = [&](std::int64_t run) {
    const RunDetails details = Store(store, Store::Mode::existing).run(run).details;
    return details.facts.contains("Compositor") ? details.facts.at("Compositor") : "";
  };
  {
    std::promise<void> asked;
    BackgroundRecorder recorder(store, {.facts = {{"Kernel", "6.1"}}}, {}, {}, [answer = asked.get_future().share()] {
      answer.wait();
      return RunDetails{.facts = {{"Compositor", "none"}}};
    });
    recorder.add(steady(0, 10));
    recorder.finish();
    while (recorder.state().phase == Phase::opening) std::this_thread::yield();  // the store has to be made first
    EXPECT_FALSE(recorder.wait(std::chrono::milliseconds(100))) << "its end waits for the answer";
    EXPECT_FALSE(Store(store, Store::Mode::existing).run(1).finished);
    asked.set_value();
    ASSERT_TRUE(recorder.wait(std::chrono::minutes(1)));
  }
  EXPECT_EQ(compositor_of(1), "none");
  EXPECT_EQ(Store(store).run(1).details.facts.at("Kernel"), "6.1");
  {
    BackgroundRecorder recorder(store, {}, {}, {}, []() -> RunDetails { throw std::runtime_error("no display"); });
    recorder.add(steady(0, 10));
    recorder.finish(RunEnd::time, 3);
    ASSERT_TRUE(recorder.wait(std::chrono::minutes(1)));
    EXPECT_EQ(recorder.state().phase, Phase::finished);
    EXPECT_EQ(recorder.state().problem, "");
  }
  EXPECT_EQ(compositor_of(2), "");
  EXPECT_EQ(Store(store).run(2).end, RunEnd::time);
  EXPECT_EQ(Store(store).run(2).lost, 3u);
  {
    std::promise<void> never;
    BackgroundRecorder recorder(store, {}, {}, {}, [answer = never.get_future().share()] {
      answer.wait();
      return RunDetails{};
    });
    recorder.add(steady(0, 10));
    recorder.finish();
    EXPECT_FALSE(recorder.wait(std::chrono::milliseconds(50)));
    recorder.give_up();
    ASSERT_TRUE(recorder.wait(std::chrono::minutes(1)));
    never.set_value();
  }
  EXPECT_EQ(Store(store).frames(3).size(), 10u) << "nothing of the run itself is lost by that";
}

}  // namespace
}  // namespace idlemeter
