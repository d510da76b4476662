// A recorded run gone through again, and its frames and readings as tables.
#include "idlemeter/runs/run_replay.hpp"

#include <gtest/gtest.h>

#include "folder.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/run_csv.hpp"
#include "idlemeter/runs/run_moment.hpp"
#include "idlemeter/runs/store.hpp"
#include "stores.hpp"

namespace idlemeter {
namespace {

using namespace testing;

Moment at(double seconds) { return Moment{from_seconds(seconds)}; }

/// Ten seconds: frames of 10 ms, then of 20 ms from the fifth second on; samples each half second.
std::int64_t record(Store& store) {
  Recorder recorder(store, {.game = "Tidepool Rally"});
  Moment now{};
  double due = 0;
  while (now < at(10)) {
    const Nanoseconds interval = (now < at(5) ? 10 : 20) * kMillisecond;
    now += interval;
    recorder.add(FrameRecord{now, interval, interval / 2});
    const double seconds = in_seconds(now.time_since_epoch());
    if (seconds < due) continue;
    due += 0.5;
    recorder.add(now,
                 snapshot_of({kLoad, kTemp, kApi}, {seconds, seconds < 3 ? Value(Missing{"off"}) : Value(50 + seconds),
                                                    std::string(seconds < 5 ? "OpenGL" : "Vulkan")}));
  }
  return recorder.finish();
}

double value_of(const Snapshot& values, const char* id) { return number(*values.find(id).value).value_or(-1); }

TEST(RunReplay, IsAtEachMomentWhatAJumpThereFinds) {
  const Folder folder;
  Store store(folder / "a.db");
  const std::int64_t run = record(store);
  const std::vector<std::string> ids = {"frame.low@1%@3s"};
  RunReplay replay(store, run, ids);
  for (int turn = 0; turn < 2; ++turn) {
    for (const double seconds : {0.0, 0.004, 1.0, 2.9999, 4.7, 5.01, 9.0, 10.0, 12.0}) {
      replay.go_to(at(seconds));
      const RunMoment jumped = moment_of(store, run, at(seconds), ids);
      const auto stepped = replay.values().entries(), wanted = jumped.values.entries();
      ASSERT_EQ(stepped.size(), wanted.size()) << seconds;
      for (std::size_t i = 0; i < stepped.size(); ++i) {
        ASSERT_EQ(stepped[i].info->id, wanted[i].info->id);
        EXPECT_EQ(*stepped[i].value, *wanted[i].value) << seconds << " " << wanted[i].info->id;
      }
    }
    replay.restart();
  }
}

TEST(RunReplay, KnowsTheNewestOfEverything) {
  const Folder folder;
  Store store(folder / "a.db");
  RunReplay replay(store, record(store), {"frame.percentile@50%"});
  const struct {
    double seconds, load, temp, average, median;
    const char* api;
  } cases[] = {{1.2, 1.0, -1, 100, 10, "OpenGL"}, {4.3, 4.0, 54, 100, 10, "OpenGL"}, {10, 10, 60, 75, 10, "Vulkan"}};
  for (const auto& one : cases) {
    replay.go_to(at(one.seconds));
    EXPECT_NEAR(value_of(replay.values(), "gpu.load"), one.load, 0.011) << one.seconds;
    EXPECT_NEAR(value_of(replay.values(), "gpu.temp"), one.temp, 0.011) << one.seconds;
    EXPECT_NEAR(value_of(replay.values(), "frame.average"), one.average, 0.2) << one.seconds;
    EXPECT_NEAR(value_of(replay.values(), "frame.percentile@50%"), one.median, 0.1) << one.seconds;
    EXPECT_EQ(std::get<std::string>(*replay.values().find("game.api").value), one.api);
  }
  replay.go_to(at(2));
  EXPECT_NEAR(value_of(replay.values(), "gpu.load"), 10, 0.011) << "it doesn't go back";
  replay.restart();
  replay.go_to(at(1.2));
  EXPECT_NEAR(value_of(replay.values(), "frame.average"), 100, 0.2);
}

TEST(RunCsv, IsToTheNanosecondAndLeavesOutWhatIsNot) {
  const Folder folder;
  Store store(folder / "a.db");
  {
    Recorder recorder(store, {.game = "Tidepool Rally"});
    recorder.add(FrameRecord{Moment{Nanoseconds(16'683'400)}, Nanoseconds(16'683'400), 9 * kMillisecond});
    recorder.add(FrameRecord{Moment{Nanoseconds(33'000'001)}, Nanoseconds(16'316'601)});
    ReadingInfo own{"own.\"quoted\", one", "Own", "Own", "Own", DeviceKind::own, Unit::none, "a command"};
    own.text = true;
    recorder.add(at(0.01), snapshot_of({kLoad, kTemp, own}, {12.5, Missing{"off"}, std::string("=1+1")}));
    recorder.add(at(0.02), snapshot_of({kLoad, kTemp, own}, {-0.0, 61.25, std::string("=1+1")}));
    recorder.add(at(0.03), snapshot_of({own}, {std::string("b")}));
    recorder.finish();
  }
  const std::int64_t runs[] = {1};
  EXPECT_EQ(frames_csv(store, runs),
            "run,presented (s),frame time (ms),GPU work "
            "(ms)\r\n1,0.016683400,16.683400,9.000000\r\n1,0.033000001,16.316601,\r\n");
  EXPECT_EQ(readings_csv(store, runs),
            "run,at (s),gpu.load (%),gpu.temp (°C),\"own.\"\"quoted\"\", "
            "one\"\r\n1,0.010000000,12.5,,'=1+1\r\n1,0.020000000,-0,61.25,\r\n1,0.030000000,,,b\r\n");
}

}  // namespace
}  // namespace idlemeter
