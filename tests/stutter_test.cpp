// Stutters and limits: hand-computed cases, then naive versions on generated frames.
#include "idlemeter/frames/stutter.hpp"

#include <gtest/gtest.h>

#include <algorithm>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/frames/limit.hpp"
#include "shapes.hpp"

namespace idlemeter {
namespace {

/// Frames one after another; of each the GPU works for that share.
std::vector<FrameRecord> played(const std::vector<Nanoseconds>& lengths, double gpu_share = -1) {
  std::vector<FrameRecord> frames;
  Moment at{};
  for (const Nanoseconds length : lengths) {
    const auto work = gpu_share < 0 ? kUnknownTime : std::chrono::duration_cast<Nanoseconds>(length * gpu_share);
    frames.push_back({at += length, length, work});
  }
  return frames;
}

std::vector<Nanoseconds> steady(std::size_t count, double ms) {
  return std::vector<Nanoseconds>(count, from_seconds(ms / 1e3));
}

struct StutterCase {
  const char* name;
  double usual, odd;  // ms
  bool is_stutter;
};

constexpr StutterCase kCases[] = {{"twice and 8 ms more are exceeded", 10, 20.01, true},
                                  {"exactly twice isn't more", 10, 20, false},
                                  {"three times, but only 8 ms more", 4, 12, false},
                                  {"three times, and a little over 8 ms more", 4, 12.01, true},
                                  {"20 ms more, but not twice", 30, 50, false}};

TEST(Stutter, IsLongerByFactorAndByExcess) {
  for (const StutterCase& c : kCases) {
    auto lengths = steady(100, c.usual);
    lengths[50] = from_seconds(c.odd / 1e3);
    const Stutters found = find_stutters(played(lengths));
    EXPECT_EQ(found.frames.size(), c.is_stutter ? 1u : 0u) << c.name;
    if (!c.is_stutter) continue;
    EXPECT_EQ(found.frames[0].frame, 50u);
    EXPECT_NEAR(in_milliseconds(found.lost), c.odd - c.usual, 1e-6) << c.name;
    EXPECT_NEAR(found.share, c.odd / (99 * c.usual + c.odd), 1e-9) << c.name;
  }
}

TEST(Stutter, IsMeasuredAgainstTheSecondAroundIt) {
  auto lengths = steady(200, 5);  // one second at 200 FPS, then one at 25 FPS: slow, but no stutters
  const auto slow = steady(25, 40);
  lengths.insert(lengths.end(), slow.begin(), slow.end());
  const Stutters found = find_stutters(played(lengths));
  // Around the i-th long frame there are 100 - 8 i short ones, and i + 12 long ones: more short ones up to the ninth.
  EXPECT_EQ(found.frames.size(), 9u);
  EXPECT_EQ(found.hitches.size(), 1u);
}

TEST(Stutter, StuttersInShortOrderAreOneHitch) {
  auto lengths = steady(300, 10);
  for (const std::size_t i : {100, 120, 200}) lengths[i] = 50 * kMillisecond;
  const Stutters found = find_stutters(played(lengths));
  ASSERT_EQ(found.hitches.size(), 2u);
  EXPECT_EQ(found.hitches[0].stutters, 2u);
  EXPECT_EQ(found.hitches[0].begin, Moment{kSecond});
  EXPECT_EQ(found.hitches[0].length, (50 + 190 + 50) * kMillisecond);
  EXPECT_EQ(found.hitches[0].worst, 50 * kMillisecond);
  EXPECT_EQ(found.hitches[0].lost, 80 * kMillisecond);
  EXPECT_EQ(find_stutters(played(lengths), {.together = kSecond / 10}).hitches.size(), 3u);
}

TEST(Stutter, NothingComesOfNothing) {
  EXPECT_TRUE(find_stutters({}).frames.empty());
  EXPECT_EQ(find_stutters(played({Nanoseconds{}, kLongestFrame + kSecond})).share, 0);
}

/// The definition taken literally.
std::vector<std::size_t> naive(const std::vector<FrameRecord>& frames, const StutterRule& rule) {
  std::vector<Nanoseconds> ends;
  Nanoseconds end{};
  for (const FrameRecord& frame : frames) ends.push_back(end += frame.interval);
  std::vector<std::size_t> found;
  for (std::size_t i = 0; i < frames.size(); ++i) {
    std::vector<Nanoseconds> window;
    for (std::size_t j = 0; j < frames.size(); ++j) {
      if (std::chrono::abs(ends[j] - ends[i]) <= rule.window / 2) window.push_back(frames[j].interval);
    }
    std::sort(window.begin(), window.end());
    const std::size_t n = window.size();
    const Nanoseconds median = n % 2 != 0 ? window[n / 2] : (window[n / 2 - 1] + window[n / 2]) / 2;
    const Nanoseconds length = frames[i].interval;
    if (length > median + rule.excess && testing::in_ns(length) > rule.factor * testing::in_ns(median))
      found.push_back(i);
  }
  return found;
}

class StutterOf : public ::testing::TestWithParam<testing::Distribution> {};

TEST_P(StutterOf, EqualsTheNaiveVersion) {
  for (const StutterRule& rule : {StutterRule{}, StutterRule{1.2, kMicrosecond, kSecond / 4, kSecond}}) {
    const auto frames = played(testing::generate(GetParam(), 1'500));
    std::vector<std::size_t> found;
    for (const Stutter& one : find_stutters(frames, rule).frames) found.push_back(one.frame);
    EXPECT_EQ(found, naive(frames, rule));
  }
}

INSTANTIATE_TEST_SUITE_P(Shapes, StutterOf, ::testing::ValuesIn(testing::kDistributions));

TEST(Limits, AreJudgedBySecondsOfPlay) {
  auto varied = steady(600, 10);  // six seconds, uneven enough not to look capped
  for (std::size_t i = 0; i < varied.size(); ++i) varied[i] += (i % 5) * kMillisecond - 2 * kMillisecond;
  const auto even = steady(600, 10);
  const struct {
    const char* name;
    std::vector<FrameRecord> frames;
    LoadAt load;
    Limit main;
  } cases[] = {
      {"the GPU works all the time", played(varied, 0.97), {}, Limit::graphics},
      {"the GPU works all the time, at an even pace", played(even, 0.97), {}, Limit::graphics},
      {"the GPU waits", played(varied, 0.5), {}, Limit::processor},
      {"in between", played(varied, 0.9), {}, Limit::mixed},
      {"even pace, GPU with time left", played(even, 0.6), {}, Limit::cap},
      {"no evidence", played(varied), {}, Limit::unknown},
      {"GPU loaded", played(varied), [](Moment) { return 98.0; }, Limit::graphics},
      {"GPU idle", played(varied), [](Moment) { return 40.0; }, Limit::processor},
      {"GPU times count more than its load", played(varied, 0.97), [](Moment) { return 40.0; }, Limit::graphics}};
  for (const auto& c : cases) {
    const Limits limits = find_limits(c.frames, c.load);
    EXPECT_EQ(limits.main(), c.main) << c.name;
    EXPECT_NEAR(limits.share(c.main), 1, 1e-9) << c.name;
    EXPECT_NEAR(static_cast<double>(limits.seconds.size()), 6, 1) << c.name;
  }
  EXPECT_EQ(find_limits({}).main(), Limit::unknown);
}

TEST(Limits, AreFoundWhereTheyChange) {
  auto frames = played(steady(500, 10), 0.97);  // five seconds, and three more with the GPU waiting
  Moment at = frames.back().at;
  for (int i = 0; i < 300; ++i) {
    const Nanoseconds length = (8 + i % 5) * kMillisecond;
    frames.push_back({at += length, length, 4 * kMillisecond});
  }
  const Limits limits = find_limits(frames);
  EXPECT_NEAR(limits.share(Limit::graphics), 5.0 / 8, 0.01);
  EXPECT_NEAR(limits.share(Limit::processor), 3.0 / 8, 0.01);
  EXPECT_EQ(limits.seconds[5].begin, Moment{5 * kSecond});
  EXPECT_EQ(limits.seconds[5].by, Limit::processor);
}

}  // namespace
}  // namespace idlemeter
