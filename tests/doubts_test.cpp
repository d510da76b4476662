// What is doubted of runs that were made up by hand, and what isn't.
#include <gtest/gtest.h>

#include <algorithm>
#include <functional>
#include <string>
#include <vector>

#include "folder.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/store.hpp"
#include "stores.hpp"

namespace idlemeter {
namespace {

using namespace testing;

/// A minute at 100 frames a second, with these readings once a second.
struct MadeUp {
  std::vector<ReadingInfo> infos = {};
  std::function<std::vector<Value>(int second)> values = {};
  RunEnd end = RunEnd::asked;
  std::uint64_t lost = 0;
  bool finished = true;
  int seconds = 60;
};

RunInsight insight_into(const MadeUp& run) {
  const Folder folder;
  Store store(folder / "runs.db");
  std::int64_t id = 0;
  {
    Recorder recorder(store, {.game = "Tidepool Rally"});
    id = recorder.id();
    for (int frame = 1; frame <= 100 * run.seconds; ++frame) {
      if (frame % 100 == 1 && run.values)
        recorder.add(Moment{frame / 100 * kSecond}, snapshot_of(run.infos, run.values(frame / 100)));
      // A little jitter, so that no cap is seen in frames that are all alike.
      const Nanoseconds jitter = (frame * 7'919 % 2'000 - 1'000) * kMicrosecond;
      recorder.add({Moment{frame * 10 * kMillisecond}, 10 * kMillisecond + jitter});
    }
    if (run.finished) recorder.finish(run.end, run.lost);
  }
  return insight_of(store, id);
}

ReadingInfo percent(const char* id) { return {.id = id, .unit = Unit::percent}; }

TEST(Doubts, AreOfWhatHappenedAndOfNothingElse) {
  const std::vector<ReadingInfo> two_loads = {percent("cpu.load"), percent("game.cpu.load")};
  const std::vector<ReadingInfo> three_loads = {percent("cpu.load"), percent("game.cpu.load"),
                                                percent("cpu.others.load")};
  const std::vector<ReadingInfo> throttle = {{.id = "gpu.throttle", .device = "Marl G9", .text = true}};
  const std::vector<ReadingInfo> picture = {{.id = "game.picture", .text = true}};
  const std::vector<ReadingInfo> temp = {kTemp};
  const std::vector<ReadingInfo> clock = {{.id = "gpu.clock", .title = "GPU clock", .unit = Unit::megahertz}};
  const auto always = [](std::vector<Value> values) { return [values = std::move(values)](int) { return values; }; };
  const auto from = [](double start, double per_second) {
    return [=](int second) { return std::vector<Value>{start + per_second * second}; };
  };
  const auto text = [](const char* before, const char* in_the_middle) {
    return [=](int second) { return std::vector<Value>{second < 20 || second >= 40 ? before : in_the_middle}; };
  };
  const struct {
    const char* what;
    MadeUp run;
    const char* rule;  ///< nullptr: none
    const char* words = "";
  } cases[] = {
      {"nothing", {}, nullptr},
      {"its time was over", {.end = RunEnd::time}, nullptr},
      {"the game closed", {.end = RunEnd::game_ended}, nullptr},
      {"a crash", {.end = RunEnd::game_crashed}, "game-crashed", "crashed or was killed"},
      {"a full disk", {.end = RunEnd::store_failed}, "store-failed", "the rest is missing"},
      {"no end", {.finished = false}, "unfinished", "the meter was killed"},
      {"one lost", {.lost = 1}, "frames-lost", "1 frame couldn't be recorded: the meter came too late for it"},
      {"many lost", {.lost = 12}, "frames-lost", "12 frames couldn't be recorded: the meter came too late for them"},
      {"29 s", {.seconds = 29}, "short", "29.0 s is short"},
      {"30 s", {.seconds = 30}, nullptr},
      {"others", {three_loads, always({60.0, 40.0, 18.0})}, "other-load", "used 18 %"},
      {"few others", {three_loads, always({60.0, 40.0, 14.0})}, nullptr},
      {"others, in an older run", {two_loads, always({60.0, 44.0})}, "other-load", "used 16 %"},
      {"few others, in an older run", {two_loads, always({60.0, 46.0})}, nullptr},
      {"heat for a third",
       {throttle, text("none", "heat")},
       "throttled",
       "Marl G9 throttled for 33 % of the run (heat)"},
      {"the power limit", {throttle, text("none", "power")}, nullptr},
      {"another size",
       {picture, text("1920x1080", "1280x720")},
       "size-changed",
       "1920x1080, then 1280x720, then 1920x1080"},
      {"one size", {picture, text("1920x1080", "1920x1080")}, nullptr},
      {"warmer", {temp, from(50, 0.2)}, "warming-up", "GPU temperature rose from 51 to 60 °C"},
      {"a little warmer", {temp, from(50, 0.05)}, nullptr},
      {"cooler", {temp, from(60, -0.2)}, nullptr},
      {"slower", {clock, from(2'000, -2)}, "warming-up", "GPU clock fell from 1986 to 1896 MHz"},
      {"faster", {clock, from(2'000, 2)}, nullptr},
      {"up and down", {temp, [](int second) { return std::vector<Value>{second / 15 == 2 ? 70.0 : 50.0}; }}, nullptr},
  };
  for (const auto& one : cases) {
    const std::vector<Doubt> doubts = insight_into(one.run).doubts;
    if (one.rule == nullptr) {
      EXPECT_TRUE(doubts.empty()) << one.what << ": " << name_of(doubts[0].rule) << ": " << doubts[0].text;
      continue;
    }
    ASSERT_EQ(doubts.size(), 1u) << one.what;
    EXPECT_EQ(name_of(doubts[0].rule), one.rule) << one.what;
    EXPECT_NE(doubts[0].text.find(one.words), std::string::npos) << one.what << ": " << doubts[0].text;
  }
}

TEST(Doubts, ComeWithTheMostImportantFirst) {
  const RunInsight run = insight_into({{percent("cpu.load"), percent("game.cpu.load")},
                                       [](int) {
                                         return std::vector<Value>{90.0, 30.0};
                                       },
                                       RunEnd::game_crashed,
                                       3,
                                       true,
                                       5});
  std::vector<std::string> rules;
  for (const Doubt& doubt : run.doubts) rules.emplace_back(name_of(doubt.rule));
  EXPECT_EQ(rules, (std::vector<std::string>{"game-crashed", "frames-lost", "short", "few-frames", "other-load"}));
}

}  // namespace
}  // namespace idlemeter
