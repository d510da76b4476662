// What is said of runs, changes and comparisons, word by word.
#include "idlemeter/insight/words.hpp"

#include <gtest/gtest.h>

#include "idlemeter/base/time.hpp"
#include "idlemeter/insight/changes.hpp"
#include "idlemeter/insight/compare.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter {
namespace {

const ReadingInfo kRate{
    .id = "frame.rate", .title = "Frame rate", .kind = DeviceKind::frames, .unit = Unit::frames_per_second};
const ReadingInfo kTime{
    .id = "frame.time", .title = "Median frame time", .kind = DeviceKind::frames, .unit = Unit::millisecond};
const ReadingInfo kClock{
    .id = "gpu.clock", .title = "GPU core clock", .kind = DeviceKind::graphics, .unit = Unit::megahertz};
const ReadingInfo kHeat{
    .id = "gpu.temp", .title = "GPU temperature", .kind = DeviceKind::graphics, .unit = Unit::celsius};
const ReadingInfo kCount{.id = "own.queue", .kind = DeviceKind::own};

Moment at(double seconds) { return Moment{from_seconds(seconds)}; }

TEST(Words, OfMoments) {
  const struct {
    double seconds;
    const char *tenths, *whole;
  } cases[] = {{0, "0:00.0", "0:00"},     {9.99, "0:09.9", "0:09"},      {59.96, "0:59.9", "0:59"},
               {125.5, "2:05.5", "2:05"}, {3'599.9, "59:59.9", "59:59"}, {3'725, "62:05.0", "1:02:05"}};
  for (const auto& one : cases) {
    EXPECT_EQ(moment_words(at(one.seconds)), one.tenths);
    EXPECT_EQ(second_words(at(one.seconds)), one.whole);
  }
}

TEST(Words, OfARunAmongOthers) {
  RunInfo run;
  run.id = 4;
  EXPECT_EQ(run_words(run), "run 4");
  run.details.settings = {{"Preset", "Medium"}, {"Upscaler", "Quality"}};
  EXPECT_EQ(run_words(run), "run 4, Medium, Quality");
}

TEST(Words, OfTitlesWithinASentence) {
  for (const auto& [title, words] : {std::pair{"Average frame rate", "average frame rate"},
                                     {"GPU power", "GPU power"},
                                     {"1% low", "1% low"},
                                     {"P", "P"},
                                     {"", ""},
                                     {"Disk nvme0n1 reads", "disk nvme0n1 reads"}})
    EXPECT_EQ(in_sentence(title), words);
}

TEST(Words, OfChanges) {
  const struct {
    ReadingChange change;
    const char* words;
  } cases[] = {
      {{kRate, ChangeKind::level, {}, 118.04, 91, 30}, "frame rate fell from 118.0 to 91.0 FPS"},
      {{kClock, ChangeKind::level, {}, 1'980, 2'450, 30}, "GPU core clock rose from 1980 to 2450 MHz"},
      {{kHeat, ChangeKind::slope, {}, 0.2, 3.14, 9}, "GPU temperature began to rise by 3.1 °C a minute"},
      {{kHeat, ChangeKind::slope, {}, 0, -3.14, 9}, "GPU temperature began to fall by 3.1 °C a minute"},
      {{kHeat, ChangeKind::slope, {}, 5, 0.9, 9}, "GPU temperature no longer rose by 5.0 °C a minute"},
      {{kHeat, ChangeKind::slope, {}, -5, 0, 9}, "GPU temperature no longer fell by 5.0 °C a minute"},
      {{kTime, ChangeKind::spread, {}, 0.09, 0.312, 3.4}, "median frame time varied more: by 0.31 ms, before by 0.09"},
      {{kTime, ChangeKind::spread, {}, 0.312, 0.09, 3.4}, "median frame time varied less: by 0.09 ms, before by 0.31"},
      {{kCount, ChangeKind::level, {}, 3, 8, 9}, "own.queue rose from 3 to 8"}};
  for (const auto& one : cases) EXPECT_EQ(change_words(one.change), one.words);
}

TEST(Words, OfAnEvent) {
  ChangeEvent event{.at = at(1'211)};
  event.readings = {{kRate, ChangeKind::level, at(1'214), 118, 91, 20},
                    {kClock, ChangeKind::level, at(1'211), 2'450, 1'980, 47},
                    {kHeat, ChangeKind::level, at(1'216), 71, 88, 30},
                    {kCount, ChangeKind::level, at(1'214), 1, 2, 3}};
  EXPECT_EQ(
      event_words(event),
      "At 20:14 frame rate fell from 118.0 to 91.0 FPS; 3 s before, GPU core clock fell from 2450 to 1980 MHz; at the "
      "same time, own.queue rose from 1 to 2; 2 s later, GPU temperature rose from 71 to 88 °C.");
  EXPECT_EQ(
      event_words(event, 2),
      "At 20:14 frame rate fell from 118.0 to 91.0 FPS; 3 s before, GPU core clock fell from 2450 to 1980 MHz; and 2 "
      "more.");
  event.readings.resize(1);
  event.texts = {
      {{.id = "gpu.throttle", .title = "GPU reason for a lower clock", .text = true}, at(1'213), "none", "heat"}};
  event.as_before = {kClock, kHeat, kCount, kTime, kRate};
  EXPECT_EQ(
      event_words(event),
      "At 20:14 frame rate fell from 118.0 to 91.0 FPS; 1 s before, GPU reason for a lower clock changed from none to "
      "heat. As before: GPU core clock, GPU temperature, own.queue, median frame time.");
  EXPECT_EQ(event_words({}), "");
}

TEST(Words, OfOddReadings) {
  const struct {
    OddStretch odd;
    const char* words;
  } cases[] = {{{kHeat, OddKind::spike, at(200), 2 * kSecond, 99, 60, 12},
                "At 3:20 GPU temperature was 99 °C for 2 s, usually 60 °C"},
               {{kHeat, OddKind::stuck, at(200), 130 * kSecond, 60, 60, 0},
                "From 3:20 GPU temperature stood still at 60 °C for 130 s: the sensor may be stuck"},
               {{kHeat, OddKind::impossible, at(4'000), kSecond, 3'000, 0, 0},
                "At 1:06:40 GPU temperature was 3000 °C for 1 s, which can't be"}};
  for (const auto& one : cases) EXPECT_EQ(oddity_words(one.odd), one.words);
}

TEST(Words, OfWhatElseWasUnusualAtAHitch) {
  HitchInsight hitch;
  EXPECT_EQ(oddity_words(hitch), "");
  hitch.oddities = {{kHeat, 90, 60, 8}, {kClock, 1'200, 2'400, 7}, {kCount, 5, 1, 6}};
  EXPECT_EQ(oddity_words(hitch, 2),
            "GPU temperature 90 °C (usually 60 °C), GPU core clock 1200 MHz (usually 2400 MHz)");
  EXPECT_EQ(oddity_words(hitch, 1), "GPU temperature 90 °C (usually 60 °C)");
}

TEST(Words, OfComparedFigures) {
  ComparedGroup group;
  const ComparedFigure rate{.info = kRate}, heat{.info = kHeat, .scale = Scale::plain};
  EXPECT_EQ(mean_words(rate, group), "–");
  group.values = {120};
  group.mean = 120;
  EXPECT_EQ(mean_words(rate, group), "120.0") << "one run has no spread";
  group.values = {119, 121};
  group.spread = 0.0118;
  EXPECT_EQ(mean_words(rate, group), "120.0 ± 1.2 %");
  group.values = {0, 2};
  group.mean = 1;
  group.spread = 1.41;
  EXPECT_EQ(mean_words(heat, group), "1 ± 1.4") << "in the unit, because 0 has no percentage";

  Difference difference{.value = 0.368, .low = 0.35, .high = 0.3862, .verdict = Verdict::higher};
  EXPECT_EQ(amount_words(kRate, difference, difference.value), "+36.8 %");
  EXPECT_EQ(interval_words(kRate, difference), "+35.0 % to +38.6 %");
  EXPECT_EQ(verdict_words(kRate, difference), "faster");
  EXPECT_EQ(verdict_words(kTime, difference), "higher");
  difference.verdict = Verdict::lower;
  EXPECT_EQ(verdict_words(kRate, difference), "slower");
  EXPECT_EQ(verdict_words(kHeat, difference), "lower");
  difference = {.scale = Scale::plain, .value = -2.25};
  EXPECT_EQ(amount_words(kHeat, difference, difference.value).front(), '-');
  EXPECT_EQ(interval_words(kHeat, difference), "");
  EXPECT_EQ(verdict_words(kRate, difference), "too few runs to tell");
  difference.runs_needed = 9;
  EXPECT_EQ(verdict_words(kRate, difference), "too few runs to tell; about 9 in each group would do");
}

TEST(Words, OfOddRuns) {
  Comparison comparison;
  comparison.names = {"a", "b"};
  EXPECT_TRUE(odd_run_words(comparison).empty());
  const Difference without{.value = -0.032, .low = -0.05, .high = -0.014, .verdict = Verdict::lower};
  comparison.figures = {
      {.info = kRate, .groups = {ComparedGroup{.odd = {5}}, ComparedGroup{.odd = {7, 9}, .without_odd = without}}},
      {.info = kHeat, .groups = {ComparedGroup{.odd = {5}}, ComparedGroup{}}}};
  EXPECT_EQ(odd_run_words(comparison),
            (std::vector<std::string>{
                "runs 5, 7, 9: the odd ones out by frame rate, and counted; without them: b -3.2 % (-5.0 % to "
                "-1.4 %), slower",
                "run 5: the odd one out by " + in_sentence(kHeat.title) + ", and counted"}));
  comparison.doubts = {{0, DoubtRule::too_short, {5, 6}, 3}, {1, DoubtRule::warming_up, {9}, 1}};
  EXPECT_EQ(doubt_words(comparison),
            (std::vector<std::string>{"a: 2 of 3 runs short (5, 6)", "b: 1 of 1 run not warmed up (9)"}));
  EXPECT_EQ(kind_of_means(comparison), "geometric means");
  comparison.figures[1].scale = Scale::plain;
  EXPECT_EQ(kind_of_means(comparison), "geometric means (arithmetic ones of figures that can be 0)");
}

}  // namespace
}  // namespace idlemeter
