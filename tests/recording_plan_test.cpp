#include "idlemeter/meter/recording_plan.hpp"

#include <gtest/gtest.h>

#include "idlemeter/base/error.hpp"
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

TEST(RecordingPlan, IsReadAsPeopleWriteIt) {
  const RecordingPlan plan = plan_from({"1:30", "mark", "3", "5", {"preset=High", "fog="}, "rain", {"wet"}});
  EXPECT_EQ(plan.length, 90 * kSecond);
  EXPECT_TRUE(plan.at_mark);
  EXPECT_EQ(plan.repeat, 3);
  EXPECT_EQ(plan.pause, 5 * kSecond);
  EXPECT_EQ(plan.notes, (RunNotes{{{"preset", "High"}, {"fog", ""}}, "rain", {"wet"}}));
  const struct {
    RecordingPlanText text;
    const char* words;
  } wrong[] = {{{.length = "6x"}, "'6x' isn't a time from 0.1 s to a day; write it like 60, 90s or 1:30"},
               {{.length = "0"}, "'0' isn't a time from 0.1 s"},
               {{.after = "marks"}, "'marks' isn't a time from 0 s"},
               {{.length = "9", .repeat = "2x"}, "'2x' isn't a number of runs"},
               {{.pause = "25 h"}, "'25 h' isn't a time"},
               {{.settings = {"=High"}}, "'=High' isn't a setting; write it like preset=High"},
               {{.repeat = "2"}, "say how long each is"}};
  for (const auto& one : wrong) {
    try {
      (void)plan_from(one.text);
      ADD_FAILURE() << one.words;
    } catch (const Error& error) {
      EXPECT_NE(std::string(error.what()).find(one.words), std::string::npos) << error.what();
    }
  }
}

TEST(RecordingPlan, SaysWhenItEnds) {
  const struct {
    RecordingPlanText text;
    const char* words;
  } cases[] = {{{.after = "10"}, ""},
               {{.length = "0.5"}, "one run of 0.5 s, ending 0.5 s after the start"},
               {{"60", "10", "3", "30"}, "3 runs of 1:00, the last one ending 4:10 after the start"},
               {{"3600", "mark"}, "one run of 1:00:00, ending 1:00:00 after the mark"}};
  for (const auto& one : cases) EXPECT_EQ(plan_words(plan_from(one.text)), one.words);
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
