#include "idlemeter/frames/frame_summary.hpp"

#include <gtest/gtest.h>

#include <stdexcept>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "shapes.hpp"

namespace idlemeter {
namespace {

using enum LowDefinition;
using testing::ns;
using testing::Plain;

std::vector<Nanoseconds> ms(std::vector<double> values) {
  std::vector<Nanoseconds> frames;
  for (double value : values) frames.push_back(from_seconds(value / 1e3));
  return frames;
}

/// Ninety-nine frames of 10 ms and one of 110 ms: 1.1 s in all.
std::vector<Nanoseconds> one_spike() {
  std::vector<Nanoseconds> frames(99, 10 * kMillisecond);
  frames.insert(frames.begin() + 40, 110 * kMillisecond);
  return frames;
}

TEST(FrameSummary, AverageIsFramesOverTimeNotTheMeanOfRates) {
  // 10 ms and 30 ms: 2 frames in 40 ms are 50 FPS; the mean of 100 and 33.3 FPS would be 66.7.
  EXPECT_DOUBLE_EQ(*summarize(ms({10, 30})).average_rate, 50);
}

TEST(FrameSummary, HandComputedFigures) {
  const Summary s =
      summarize(ms({10, 20, 10, 40}),
                {{Share{500'000}}, {std::begin(kLowDefinitions), std::end(kLowDefinitions)}, {0, 0.25, 0.9, 1}});
  EXPECT_EQ(s.frames, 4u);
  EXPECT_EQ(s.time, 80 * kMillisecond);
  EXPECT_DOUBLE_EQ(*s.average_rate, 50);
  EXPECT_DOUBLE_EQ(*s.median, 15e6);  // h = 1.5 between 10 and 20
  EXPECT_EQ(*s.shortest, 10 * kMillisecond);
  EXPECT_EQ(*s.longest, 40 * kMillisecond);
  EXPECT_DOUBLE_EQ(*s.pacing, (10 + 10 + 30) / 3.0 * 1e6);
  EXPECT_DOUBLE_EQ(s.percentiles[0].frame_time, 10e6);
  EXPECT_DOUBLE_EQ(s.percentiles[1].frame_time, 10e6);  // h = 0.75 between 10 and 10
  EXPECT_DOUBLE_EQ(s.percentiles[2].frame_time, 34e6);  // h = 2.7 between 20 and 40
  EXPECT_DOUBLE_EQ(s.percentiles[3].frame_time, 40e6);
  EXPECT_DOUBLE_EQ(s.low(Share{500'000}, mean_of_slowest)->frame_time, 30e6);  // 40 and 20
  EXPECT_DOUBLE_EQ(s.low(Share{500'000}, percentile)->frame_time, 15e6);       // the median
  EXPECT_DOUBLE_EQ(s.low(Share{500'000}, share_of_time)->frame_time, 40e6);    // 40 ms are half of the time already
}

TEST(FrameSummary, DefinitionsOfALowDiffer) {
  const Summary s = summarize(one_spike());
  EXPECT_DOUBLE_EQ(s.low(Share{10'000}, mean_of_slowest)->rate, 1000 / 110.0);  // k = 1
  EXPECT_DOUBLE_EQ(s.low(Share{10'000}, percentile)->frame_time, 11e6);         // h = 98.01 between 10 and 110
  EXPECT_DOUBLE_EQ(s.low(Share{10'000}, share_of_time)->rate, 1000 / 110.0);    // 1 % of 1.1 s is in the spike
}

TEST(FrameSummary, ALowOfTooFewFramesIsMarked) {
  const Summary s = summarize(one_spike());
  EXPECT_TRUE(s.low(Share{10'000})->enough_frames);
  EXPECT_FALSE(s.low(Share{1'000})->enough_frames);
  ASSERT_EQ(s.remarks().size(), 2u);
  EXPECT_EQ(s.remarks()[1], "the 0.1% low wants at least 1000 frames; this has 100");
}

TEST(FrameSummary, WhatIsUndefinedIsEmpty) {
  const Summary none = summarize({});
  EXPECT_FALSE(none.average_rate || none.median || none.shortest || none.longest || none.pacing);
  EXPECT_TRUE(none.percentiles.empty() && none.lows.empty());
  EXPECT_EQ(none.remarks().front(), "no frames: no figure is defined");

  const Summary one = summarize(ms({5}));
  EXPECT_DOUBLE_EQ(*one.average_rate, 200);
  EXPECT_FALSE(one.pacing);
}

TEST(FrameSummary, IntervalsThatAreNotFramesAreLeftOutWithARemark) {
  const Summary s = summarize(ns({10, 0, -5, kLongestFrame.count() + 1, 30}));
  EXPECT_EQ(s.frames, 2u);
  EXPECT_EQ(s.left_out, 3u);
  EXPECT_EQ(s.time, Nanoseconds{40});
  EXPECT_DOUBLE_EQ(*s.pacing, 20);
  EXPECT_EQ(s.remarks().front(), "3 intervals of zero or less or over an hour left out of every figure");
  EXPECT_EQ(summarize(std::vector<Nanoseconds>{kLongestFrame}).frames, 1u);
}

TEST(FrameSummary, RefusesAPercentileOrShareOutOfRange) {
  const auto frames = ns({10});
  EXPECT_THROW((void)summarize(frames, {{}, {}, {1.1}}), Error);
  EXPECT_THROW((void)summarize(frames, {{}, {}, {std::nan("")}}), Error);
  EXPECT_THROW((void)summarize(frames, {{Share{0}}, {mean_of_slowest}, {}}), Error);
  EXPECT_THROW((void)summarize(frames, {{Share{1'000'000}}, {mean_of_slowest}, {}}), Error);
}

TEST(Share, ReadsPercentAndNothingElse) {
  const struct {
    const char* text;
    std::uint32_t ppm;
  } cases[] = {{"1%", 10'000}, {"0.1 %", 1'000}, {"0.2%", 2'000}, {"5", 50'000}, {"0.0001%", 1}, {"99.9999%", 999'999},
               {"0%", 0},      {"100%", 0},      {"-1%", 0},      {"", 0},       {"1%x", 0},     {"nan%", 0},
               {"0.00001%", 0}};
  for (const auto& c : cases) EXPECT_EQ(share_from(c.text).value_or(Share{0}).ppm, c.ppm) << c.text;
  EXPECT_EQ(to_string(Share{1'000}), "0.1%");
}

class AgainstPlain : public ::testing::TestWithParam<testing::Distribution> {};

TEST_P(AgainstPlain, EveryFigureOfEverySize) {
  for (std::size_t n : {1, 2, 3, 7, 99, 100, 101, 999, 1000, 5000, 100'000}) {
    const auto frames = testing::generate(GetParam(), n, static_cast<unsigned>(n));
    const Plain plain(frames);
    const Summary s = summarize(frames);
    SCOPED_TRACE(n);
    EXPECT_EQ(s.time, plain.total());
    EXPECT_EQ(*s.shortest, plain.sorted.front());
    EXPECT_EQ(*s.longest, plain.sorted.back());
    EXPECT_NEAR(*s.median, plain.percentile(0.5L), 1e-9 * *s.median);
    EXPECT_DOUBLE_EQ(*s.average_rate, plain.n() * 1e9 / testing::in_ns(plain.total()));
    for (const Percentile& p : s.percentiles)
      EXPECT_NEAR(p.frame_time, plain.percentile(p.q), 1e-9 * p.frame_time) << p.q;
    for (const Low& low : s.lows) {
      EXPECT_NEAR(low.frame_time, plain.low_time(low.share, low.definition), 1e-9 * low.frame_time)
          << to_string(low.share) << ' ' << name_of(low.definition);
    }
  }
}

INSTANTIATE_TEST_SUITE_P(Shapes, AgainstPlain, ::testing::ValuesIn(testing::kDistributions));

}  // namespace
}  // namespace idlemeter
