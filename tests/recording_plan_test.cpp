#include "idlemeter/meter/recording_plan.hpp"

#include <gtest/gtest.h>

#include "idlemeter/base/time.hpp"

namespace idlemeter {
namespace {

TEST(RecordingPlan, SaysWhatIsWrongWithIt) {
  constexpr Nanoseconds kDay = std::chrono::hours(24), kMinute = std::chrono::minutes(1), kTick{1};
  const struct {
    RecordingPlan plan;
    const char* words;  ///< nullptr: nothing
  } cases[] = {{{}, nullptr},
               {{.after = kDay, .length = kDay, .repeat = 1'000, .pause = kDay}, nullptr},
               {{.length = kSecond / 10}, nullptr},
               {{.after = kDay + kTick}, "put off by up to a day"},
               {{.after = -kTick}, "put off by up to a day"},
               {{.length = kMinute, .repeat = 2, .pause = kDay + kTick}, "put off by up to a day"},
               {{.length = kSecond / 10 - kTick}, "from 0.1 s to a day"},
               {{.length = kDay + kTick}, "from 0.1 s to a day"},
               {{.length = kMinute, .repeat = 0}, "from 1 to 1000 times"},
               {{.length = kMinute, .repeat = 1'001}, "from 1 to 1000 times"},
               {{.repeat = 2}, "say how long each is"}};
  for (const auto& one : cases) {
    const std::string problem = problem_with(one.plan);
    if (one.words == nullptr) {
      EXPECT_EQ(problem, "");
    } else {
      EXPECT_NE(problem.find(one.words), std::string::npos) << one.words << ": " << problem;
    }
  }
}

TEST(RunNotes, AreAddedToWhatIsThere) {
  RunNotes notes;
  EXPECT_TRUE(notes.empty());
  notes.add({{{"Preset", "High"}}, "", {"cool"}});
  EXPECT_EQ(notes.note, "") << "no empty line";
  notes.add({{}, "calm", {}});
  notes.add({{{"Preset", "Low"}, {"Upscaler", "on"}}, "", {"loud"}});
  notes.add({{}, "then rain", {}});
  EXPECT_EQ(notes, (RunNotes{{{"Preset", "Low"}, {"Upscaler", "on"}}, "calm\nthen rain", {"cool", "loud"}}));
  EXPECT_FALSE(notes.empty());
}

}  // namespace
}  // namespace idlemeter
