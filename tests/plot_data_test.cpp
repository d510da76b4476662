// The lines of plots.
#include "idlemeter/insight/plot_data.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <random>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/readings/reading.hpp"

namespace idlemeter {
namespace {

std::vector<FrameRecord> frames_of(const std::vector<double>& milliseconds) {
  std::vector<FrameRecord> frames;
  Moment at{};
  for (const double ms : milliseconds) {
    const Nanoseconds length = from_seconds(ms / 1e3);
    frames.push_back({at += length, length, kUnknownTime});
  }
  return frames;
}

TEST(PlotData, ALineOfFewPointsHidesNoSpike) {
  std::mt19937 random(7);
  std::vector<double> times(200'000);
  for (double& one : times) one = 5 + static_cast<double>(random() % 1'000) / 1e3;
  for (const std::size_t spike : {3u, 77'777u, 199'999u}) times[spike] = 90 + static_cast<double>(spike % 7);
  times[100'000] = 0.5;
  const auto line = frame_time_line(frames_of(times), 1'000);
  EXPECT_LE(line.size(), 4'010u);
  EXPECT_TRUE(
      std::is_sorted(line.begin(), line.end(), [](const PlotPoint& a, const PlotPoint& b) { return a.x < b.x; }));
  for (const double value : {93.0, 90.0, 92.0, 0.5}) {
    EXPECT_TRUE(std::any_of(line.begin(), line.end(), [&](const PlotPoint& p) { return std::abs(p.y - value) < 1e-6; }))
        << value;
  }
  EXPECT_TRUE(frame_time_line({}, 100).empty());
  EXPECT_EQ(frame_time_line(frames_of({8}), 100).size(), 1u);
}

TEST(PlotData, RatesSpreadsAndPercentiles) {
  std::vector<double> times(100, 10);  // the frame that ends a second belongs to the next
  times.insert(times.end(), 50, 20);
  const auto frames = frames_of(times);
  const auto rates = frame_rate_line(frames);
  ASSERT_EQ(rates.size(), 3u);
  EXPECT_DOUBLE_EQ(rates[0].x, 0.5);
  EXPECT_NEAR(rates[0].y, 100, 1e-9);
  EXPECT_NEAR(rates[1].y, 50.0 / 0.99, 1e-9) << "49 of 20 ms and one of 10";
  const auto spread = distribution(frames, 20, 4);
  ASSERT_EQ(spread.size(), 4u);
  EXPECT_DOUBLE_EQ(spread[2].x, 12.5);
  EXPECT_NEAR(spread[2].y, 100 * 100.0 / 150, 1e-9);
  EXPECT_NEAR(spread[3].y, 100 * 50.0 / 150, 1e-9) << "20 ms and more are in the last";
  const auto curve = percentile_curve(frames);
  EXPECT_EQ(curve.front(), (PlotPoint{0, 10}));
  EXPECT_NEAR(curve.back().y, 20, 1e-9);
  EXPECT_LE(curve.back().x, 100 * (1 - 1.0 / 150));
  EXPECT_TRUE(percentile_curve({}).empty());
  const RunSeries series{{}, {Moment{}, Moment{kSecond}}, {Missing{"gone"}, 7.0}};
  EXPECT_EQ(reading_line(series), (std::vector<PlotPoint>{{1, 7}}));
}

/// The first, least, most and last point of each column stay, whatever lies between.
TEST(PlotData, ThinnedPointsKeepEveryColumnsReach) {
  std::vector<PlotPoint> points;
  for (int i = 0; i < 10'000; ++i)
    points.push_back({i / 100.0, i == 4'321 ? 99 : i == 7'777 ? -99 : std::sin(i / 500.0)});
  for (const std::size_t columns : {1u, 10u, 100u, 20'000u}) {
    const auto few = thinned(points, columns);
    EXPECT_LE(few.size(), std::min<std::size_t>(points.size(), 4 * columns + 4)) << columns;
    EXPECT_EQ(few.front(), points.front());
    EXPECT_EQ(few.back(), points.back());
    EXPECT_TRUE(
        std::is_sorted(few.begin(), few.end(), [](const PlotPoint& a, const PlotPoint& b) { return a.x < b.x; }));
    const auto [least, most] =
        std::minmax_element(few.begin(), few.end(), [](const PlotPoint& a, const PlotPoint& b) { return a.y < b.y; });
    EXPECT_EQ(least->y, -99) << columns;
    EXPECT_EQ(most->y, 99) << columns;
  }
  EXPECT_TRUE(thinned({}, 10).empty());
}

TEST(PlotData, MarksAreTextsInOrder) {
  RunSeries marks{.info = {.id = "recording.mark", .text = true}, .at = {}, .values = {}}, other = marks;
  marks.at = {Moment{kSecond}, Moment{2 * kSecond}, Moment{5 * kSecond}};
  marks.values = {Missing{"no mark was set"}, std::string("1"), std::string("2: boss fight")};
  other.info.id = "game.api";
  other.at = {Moment{kSecond}};
  other.values = {std::string("Vulkan")};
  const auto found = marks_in({other, marks});
  ASSERT_EQ(found.size(), 2u);
  EXPECT_EQ(found[0].at, Moment{2 * kSecond});
  EXPECT_EQ(found[1].about, "2: boss fight");
  EXPECT_TRUE(marks_in({other}).empty());
}

TEST(PlotData, ADistributionReachesBeyondAllButTheSlowest) {
  std::vector<FrameRecord> frames;
  Moment now{};
  for (int i = 0; i < 1'000; ++i) {
    const Nanoseconds interval = i < 997 ? 10 * kMillisecond : kSecond;
    frames.push_back({now += interval, interval});
  }
  const double reach = distribution_reach(frames);
  EXPECT_GT(reach, 10);
  EXPECT_LT(reach, 20) << "three of a thousand don't stretch it";
  EXPECT_GE(distribution_reach({}), 1);
}

}  // namespace
}  // namespace idlemeter
