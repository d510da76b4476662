#include "idlemeter/frames/live_frames.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <random>
#include <span>
#include <stdexcept>
#include <vector>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_spans.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "shapes.hpp"

namespace idlemeter {
namespace {

/// Bit for bit: the live figures are the offline figures.
void expect_same(const Summary& live, const Summary& offline) {
  EXPECT_EQ(live.frames, offline.frames);
  EXPECT_EQ(live.time, offline.time);
  EXPECT_EQ(live.average_rate, offline.average_rate);
  EXPECT_EQ(live.median, offline.median);
  EXPECT_EQ(live.shortest, offline.shortest);
  EXPECT_EQ(live.longest, offline.longest);
  EXPECT_EQ(live.pacing, offline.pacing);
  ASSERT_EQ(live.lows.size(), offline.lows.size());
  for (std::size_t i = 0; i < live.lows.size(); ++i)
    EXPECT_EQ(live.lows[i].frame_time, offline.lows[i].frame_time) << i;
  for (std::size_t i = 0; i < live.percentiles.size(); ++i)
    EXPECT_EQ(live.percentiles[i].frame_time, offline.percentiles[i].frame_time) << i;
}

class LiveFramesOf : public ::testing::TestWithParam<testing::Distribution> {};

TEST_P(LiveFramesOf, AGrowingSpanEqualTheOfflineFigures) {
  const auto frames = testing::generate(GetParam(), 30'000);
  LiveFrames live = LiveFrames::growing();
  for (std::size_t i = 0; i < frames.size(); ++i) {
    live.add(frames[i]);
    if (i < 5 || i == 511 || i == 512 || i % 7'001 == 0)
      expect_same(live.summary(), summarize(std::span(frames).first(i + 1)));
  }
  expect_same(live.summary(), summarize(frames));
}

TEST_P(LiveFramesOf, ASlidingSpanEqualTheOfflineFiguresOfItsFrames) {
  const auto frames = testing::generate(GetParam(), 20'000);
  const Nanoseconds length = frames.front() * 2'000;
  LiveFrames live = LiveFrames::sliding(length);
  for (std::size_t i = 0; i < frames.size(); ++i) {
    live.add(frames[i]);
    if (i % 3'001 != 0 && i + 1 != frames.size()) continue;
    // The fewest of the newest frames that fill the length.
    std::size_t first = i;
    Nanoseconds time = frames[i];
    while (first > 0 && time < length) time += frames[--first];
    expect_same(live.summary(), summarize(std::span(frames).subspan(first, i + 1 - first)));
  }
}

TEST_P(LiveFramesOf, AGrowingSpanTakesAtMostEightBytesAFrame) {
  LiveFrames live = LiveFrames::growing();
  constexpr std::size_t kFrames = 200'000;
  for (Nanoseconds interval : testing::generate(GetParam(), kFrames)) live.add(interval);
  EXPECT_LE(live.memory(), 85 * kFrames / 10);
}

INSTANTIATE_TEST_SUITE_P(Shapes, LiveFramesOf, ::testing::ValuesIn(testing::kDistributions));

TEST(LiveFrames, AGrowingSpanIsFullAtItsLimitUntilItIsCleared) {
  LiveFrames live = LiveFrames::growing(3);
  for (const Nanoseconds interval : testing::ns({10, 20, 30, 40, 50})) live.add(interval);
  EXPECT_EQ(live.frames(), 3u);
  EXPECT_EQ(live.summary().longest, Nanoseconds{30});
  EXPECT_EQ(live.summary().left_out, 2u);
  live.clear();
  live.add(Nanoseconds{40});
  EXPECT_EQ(live.summary().longest, Nanoseconds{40});
}

TEST(LiveFrames, ASlidingSpanHasConstantMemory) {
  LiveFrames live = LiveFrames::sliding(kSecond);
  std::size_t most = 0;
  const auto frames = testing::generate(testing::Distribution::heavy_tail, 200'000);
  for (std::size_t i = 0; i < frames.size(); ++i) {
    live.add(frames[i]);
    if (i == 20'000) most = live.memory();
    if (i > 20'000 && i % 1'000 == 0) {
      ASSERT_LE(live.memory(), 2 * most) << i;
    }
  }
}

TEST(LiveFrames, ASlidingSpanNeverHoldsMoreThanItsMostFrames) {
  LiveFrames live = LiveFrames::sliding(kSecond, 100);
  for (int i = 1; i <= 1'000; ++i) live.add(Nanoseconds{i});
  EXPECT_EQ(live.frames(), 100u);
  EXPECT_EQ(*live.summary().shortest, Nanoseconds{901});
}

TEST(LiveFrames, ClearForgetsEverythingAndGoesOn) {
  LiveFrames spans[] = {LiveFrames::growing(), LiveFrames::sliding(kSecond)};
  for (LiveFrames& live : spans) {
    for (const Nanoseconds interval : testing::ns({10, -1, 20, 40})) live.add(interval);
    EXPECT_EQ(live.summary().left_out, 1u);
    live.clear();
    EXPECT_EQ(live.summary().frames + live.summary().left_out, 0u);
    live.add(Nanoseconds{7});
    live.add(Nanoseconds{9});
    expect_same(live.summary(), summarize(testing::ns({7, 9})));
  }
}

TEST(LiveFrames, FiguresAreRightAfterAnyMixOfAddingAndRemoving) {
  // Few different values, so that blocks hold many equal ones; short and long spans in turn; asked at odd moments.
  std::mt19937_64 random(9);
  LiveFrames live = LiveFrames::sliding(40 * kSecond, 3'000);
  std::vector<Nanoseconds> all;
  for (int i = 0; i < 40'000; ++i) {
    const auto phase = static_cast<std::uint64_t>(i / 5'000 % 3);
    const Nanoseconds interval = phase == 0   ? 8 * kMillisecond
                                 : phase == 1 ? static_cast<int>(1 + random() % 7) * 4 * kMillisecond
                                              : Nanoseconds(1 + random() % 40'000'000);
    live.add(interval);
    all.push_back(interval);
    if (random() % 997 != 0) continue;
    std::size_t first = all.size();
    Nanoseconds time{};
    while (first > 0 && time < 40 * kSecond && all.size() - first < 3'000) time += all[--first];
    expect_same(live.summary(), summarize(std::span(all).subspan(first)));
  }
}

/// Each span as the frames that it has, beside the spans.
struct PlainSpan {
  std::vector<Nanoseconds> frames;
  bool held = false;
};

TEST_P(LiveFramesOf, SpansThatShareFramesEqualTheOfflineFiguresOfEach) {
  const auto frames = testing::generate(GetParam(), 40'000);
  FrameSpans spans;
  std::vector<PlainSpan> plain(3);
  for (std::size_t i = 0; i < plain.size(); ++i) EXPECT_EQ(spans.add_span(), i);
  std::mt19937 random(7);
  const SummaryRequest all{{Share::percent(1), Share::percent(0.1)},
                           {LowDefinition::mean_of_slowest, LowDefinition::percentile, LowDefinition::share_of_time},
                           {0.01, 0.95, 0.99}};
  for (std::size_t i = 0; i < frames.size(); ++i) {
    spans.add(frames[i]);
    for (PlainSpan& span : plain) {
      if (!span.held) span.frames.push_back(frames[i]);
    }
    if (random() % 500 == 0) {
      const std::size_t id = 1 + random() % 2;  // the first is never restarted
      const std::size_t already = std::min<std::size_t>(random() % 30, i + 1);
      switch (random() % 3) {
        case 0:
          spans.restart(id);
          plain[id] = {};
          break;
        case 1:
          spans.restart(id, std::span(frames).subspan(i + 1 - already, already));
          plain[id] = {{frames.begin() + static_cast<std::ptrdiff_t>(i + 1 - already),
                        frames.begin() + static_cast<std::ptrdiff_t>(i + 1)}};
          break;
        default:
          spans.hold(id);
          plain[id].held = true;
      }
    }
    if (i % 1'777 != 0 && i + 1 != frames.size()) continue;
    for (std::size_t id = 0; id < plain.size(); ++id) {
      if (!plain[id].frames.empty()) expect_same(spans.summary(id, all), summarize(plain[id].frames, all));
    }
  }
  EXPECT_LE(spans.memory(), 9 * frames.size() + 200'000) << "of one and the same frames";
}

TEST(FrameSpans, AFullSpanCountsWhatItLeavesOutAndTheOthersGoOn) {
  FrameSpans spans(3);
  const auto whole = spans.add_span(), other = spans.add_span();
  for (int i = 1; i <= 5; ++i) spans.add(i * kMillisecond);
  EXPECT_EQ(spans.summary(whole).frames, 3u);
  EXPECT_EQ(spans.summary(whole).left_out, 2u);
  spans.restart(other);
  spans.add(9 * kMillisecond);
  spans.add(Nanoseconds{});
  EXPECT_EQ(spans.summary(whole).longest, 3 * kMillisecond);
  EXPECT_EQ(spans.summary(whole).left_out, 4u);
  EXPECT_EQ(spans.summary(other).longest, 9 * kMillisecond);
  EXPECT_EQ(spans.summary(other).left_out, 1u);
}

TEST(LiveFrames, KeepsFramesOfManySeconds) {
  LiveFrames live = LiveFrames::growing();
  std::vector<Nanoseconds> frames;
  for (int i = 0; i < 2'000; ++i)
    frames.push_back(i % 3 == 0 ? (4 + i % 7) * kSecond + Nanoseconds{i} : i * kMillisecond + kMillisecond);
  for (const Nanoseconds frame : frames) live.add(frame);
  expect_same(live.summary(), summarize(frames));
}

TEST(LiveFrames, RefusesASpanThatHoldsNothing) {
  EXPECT_THROW((void)LiveFrames::sliding(Nanoseconds{}), Error);
  EXPECT_THROW((void)LiveFrames::sliding(kSecond, 0), Error);
}

}  // namespace
}  // namespace idlemeter
