// Readings over hours without a game.
#include "idlemeter/runs/reading_log.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <signal.h>
#include <sys/mount.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <future>
#include <random>
#include <thread>

#include "folder.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"
#include "stores.hpp"

namespace idlemeter {
namespace {

using namespace testing;

Moment at(double seconds) { return Moment{from_seconds(seconds)}; }

std::vector<double> seconds_with_numbers(const RunSeries& series) {
  std::vector<double> seconds;
  for (std::size_t i = 0; i < series.at.size(); ++i) {
    if (number(series.values[i])) seconds.push_back(in_seconds(series.at[i].time_since_epoch()));
  }
  return seconds;
}

TEST(ReadingLog, KeepsWhatIsWantedAtItsPace) {
  const Folder folder;
  LogOptions options;
  options.wants = [](const ReadingInfo& info) { return info.id != "game.api"; };
  options.paces["gpu.temp"] = 3 * kSecond;
  ReadingLog log(folder / "log.db", {.note = "overnight"}, options);
  for (int second = 0; second < 10; ++second) {
    // The card is unplugged for a while.
    const bool is_there = second < 4 || second > 6;
    log.add(at(second), is_there
                            ? snapshot_of({kLoad, kTemp, kApi}, {1.0 * second, 50.0 + second, std::string("OpenGL")})
                            : snapshot_of({kApi}, {std::string("OpenGL")}));
  }
  log.add(at(3'610), snapshot_of({kLoad, kTemp}, {7.0, 8.0}));  // the machine slept for an hour
  log.finish();
  EXPECT_EQ(log.problem(), "");
  EXPECT_EQ(log.lost(), 0u);
  const Store store(folder / "log.db", Store::Mode::existing);
  const RunInfo run = store.run(log.runs().at(0));
  EXPECT_TRUE(run.finished);
  EXPECT_EQ(run.frames, 0u);
  EXPECT_EQ(run.details.tags, (std::vector<std::string>{"log"}));
  const auto series = store.series(run.id);
  ASSERT_EQ(series.size(), 2u);
  EXPECT_EQ(seconds_with_numbers(series[0]), (std::vector<double>{0, 1, 2, 3, 7, 8, 9, 3'610}));
  EXPECT_EQ(seconds_with_numbers(series[1]), (std::vector<double>{0, 3, 7, 9, 3'610})) << "no more than every third";
}

/// A disk of a few megabytes. Only root can make one.
class SmallDisk {
 public:
  explicit SmallDisk(const Folder& folder) : path_(folder.path()) {
    is_there_ = ::mount("tmpfs", path_.c_str(), "tmpfs", 0, "size=12m") == 0;
  }
  SmallDisk(const SmallDisk&) = delete;
  SmallDisk& operator=(const SmallDisk&) = delete;
  ~SmallDisk() {
    if (is_there_) ::umount2(path_.c_str(), MNT_DETACH);
  }
  [[nodiscard]] bool is_there() const { return is_there_; }

 private:
  std::filesystem::path path_;
  bool is_there_ = false;
};

/// Logs more than fits there.
void log_too_much(ReadingLog& log, Moment& now) {
  std::mt19937_64 random(1);
  std::vector<ReadingInfo> infos;
  for (int i = 0; i < 250; ++i) infos.push_back({.id = "a.r" + std::to_string(i)});
  const auto list = std::make_shared<const ReadingList>(infos);
  for (int second = 0; second < 8'000; ++second) {
    now = at(second);
    std::vector<Value> values;
    for (int i = 0; i < 250; ++i) values.emplace_back(static_cast<double>(random()));
    log.add(now, Snapshot(now, {std::make_shared<const Batch>(Batch{list, std::move(values), now})}));
  }
}

TEST(ReadingLog, OnAFullDiskDropsItsOldestPartOnlyIfItMay) {
  for (const bool may_drop : {false, true}) {
    const Folder folder;
    const SmallDisk disk(folder);
    if (!disk.is_there()) GTEST_SKIP() << "only root can make a small disk";
    Moment now{};
    LogOptions options;
    options.part = 500 * kSecond;
    options.drop_oldest = may_drop;
    ReadingLog log(folder / "log.db", {}, options, [&now] { return now; });
    log_too_much(log, now);
    const Store store(folder / "log.db", Store::Mode::existing);
    EXPECT_TRUE(store.check().empty());
    const auto runs = store.runs();
    ASSERT_FALSE(runs.empty());
    if (may_drop) {
      EXPECT_EQ(log.problem(), "");
      EXPECT_LT(log.lost(), 400u);
      EXPECT_GT(runs.front().id, 1) << "the oldest went";
    } else {
      EXPECT_NE(log.problem().find("log.db"), std::string::npos) << log.problem();
      EXPECT_GT(log.lost(), 2'000u);
      EXPECT_EQ(store.series(1).at(0).at.front(), at(0)) << "the beginning is kept";
    }
  }
}

/// `idlemeter log` that is killed some time after it has begun; the log then.
RunInfo killed_log(const Folder& folder, int number, std::chrono::milliseconds after) {
  const std::string store = fmt::format("{}/{}.db", folder.path().string(), number);
  const std::string line = fmt::format("exec '{}' log cpu --every 100ms --store '{}'", IDLEMETER_COMMAND, store);
  int ends[2];
  EXPECT_EQ(::pipe2(ends, O_CLOEXEC), 0);
  const pid_t pid = ::fork();
  if (pid == 0) {
    ::dup2(ends[1], 1);
    ::execl("/bin/sh", "sh", "-c", line.c_str(), nullptr);
    ::_exit(127);
  }
  ::close(ends[1]);
  char said = 0;
  while (::read(ends[0], &said, 1) == 1 && said != '\n') {
  }
  std::this_thread::sleep_for(after);
  ::kill(pid, SIGKILL);
  ::waitpid(pid, nullptr, 0);
  ::close(ends[0]);
  const Store left(store, Store::Mode::existing);
  EXPECT_EQ(left.check(), std::vector<std::string>{}) << number;
  return left.run(1);
}

/// At fifty moments, ten logs at a time.
TEST(LogKilled, IsWholeUpToTheLastSecond) {
  const Folder folder;
  std::mt19937 random(5);
  for (int round = 0; round < 5; ++round) {
    std::vector<std::future<void>> all;
    for (int i = 0; i < 10; ++i) {
      const std::chrono::milliseconds after(2'200 + random() % 2'000);
      all.push_back(std::async(std::launch::async, [&folder, number = 10 * round + i, after] {
        const RunInfo run = killed_log(folder, number, after);
        EXPECT_FALSE(run.finished);
        // A sample a tenth of a second, on the disk within one; the rest is for a busy machine.
        EXPECT_GE(run.length + 2 * kSecond, Nanoseconds(after)) << number;
      }));
    }
    for (auto& one : all) one.get();
  }
}

}  // namespace
}  // namespace idlemeter
