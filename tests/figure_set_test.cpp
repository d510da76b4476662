// Sets of figures, of runs made up by hand.
#include "idlemeter/insight/figure_set.hpp"

#include <gtest/gtest.h>

#include <string>
#include <vector>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter {
namespace {

/// 200 frames of 10 ms and two of 50 ms, with a power that went from 90 to 130 W.
RunInsight made_up(const FigureSet& set, bool has_power) {
  std::vector<Nanoseconds> intervals(200, 10 * kMillisecond);
  intervals.insert(intervals.end(), 2, 50 * kMillisecond);
  RunInsight run;
  run.summary = summarize(intervals, set.request());
  run.stutters.frames.resize(2);
  run.stutters.lost = 80 * kMillisecond;
  run.stutters.share = 0.0476;
  if (!has_power) return run;
  ReadingInsight power{
      {"gpu.power", "GPU power", "Power", "Marl G9", DeviceKind::graphics, Unit::watt}, {}, {}, {}, {}};
  power.all = {.mean = 110, .least = 90, .most = 130, .samples = 3};
  run.readings = {power};
  return run;
}

TEST(FigureSet, HasEachFigureAsItIsDefined) {
  const struct {
    const char* id;
    double value;
    Unit unit;
    const char* title;
    bool is_uncertain;
  } cases[] = {{"frame.average", 202 / 2.1, Unit::frames_per_second, "Average frame rate", false},
               {"frame.low@1%", 3 / 0.11, Unit::frames_per_second, "1% low, mean of the slowest", false},
               {"frame.low@0.1%", 20, Unit::frames_per_second, "0.1% low, mean of the slowest", true},
               {"frame.median", 10, Unit::millisecond, "Median frame time", false},
               {"frame.max", 100, Unit::frames_per_second, "Highest frame rate", false},
               {"frame.count", 202, Unit::none, "Frames", false},
               {"stutter.count", 2, Unit::none, "Stutters", false},
               {"stutter.lost", 0.08, Unit::second, "Time lost to stutters", false},
               {"stutter.share", 4.76, Unit::percent, "Share of the time in stuttering frames", false},
               {"gpu.power", 110, Unit::watt, "GPU power", false},
               {"gpu.power mean", 110, Unit::watt, "GPU power", false},
               {"gpu.power least", 90, Unit::watt, "GPU power, least", false},
               {"gpu.power most", 130, Unit::watt, "GPU power, most", false}};
  std::vector<std::string> ids;
  for (const auto& one : cases) ids.emplace_back(one.id);
  const FigureSet set(ids);
  const auto figures = set.of(made_up(set, true));
  ASSERT_EQ(figures.size(), std::size(cases));
  for (std::size_t i = 0; i < figures.size(); ++i) {
    EXPECT_EQ(figures[i].info.id, cases[i].id);
    ASSERT_TRUE(figures[i].value) << cases[i].id;
    EXPECT_NEAR(*figures[i].value, cases[i].value, 1e-9) << cases[i].id;
    EXPECT_EQ(figures[i].info.unit, cases[i].unit) << cases[i].id;
    EXPECT_EQ(figures[i].info.title, cases[i].title);
    EXPECT_EQ(figures[i].is_uncertain, cases[i].is_uncertain) << cases[i].id;
  }
}

TEST(FigureSet, CallsAReadingAsTheRunsDoThatHaveIt) {
  const FigureSet set({"gpu.power most", "frame.latency", "own.none"});
  const RunInsight without = made_up(set, false);
  const auto alone = set.of(without);
  EXPECT_EQ(alone[0].info.title, "gpu.power, most") << "nobody knows more of it";
  EXPECT_EQ(alone[1].info.unit, Unit::millisecond) << "of this the unit is known";
  const auto both = set.of({without, made_up(set, true)});
  EXPECT_FALSE(both[0][0].value);
  EXPECT_EQ(both[0][0].info, both[1][0].info);
  EXPECT_EQ(both[0][0].info.unit, Unit::watt);
  EXPECT_FALSE(both[1][2].value);
  EXPECT_FALSE(set.of(RunInsight())[0].value) << "a run with nothing in it";
}

TEST(FigureSet, RefusesWhatIsNone) {
  for (const char* id : {"frame.avrage", "frame.rate", "frame.low@1%@10s", "frame.low", "stutter.cuont", "gpu", "",
                         "gpu.power last", "stutter.count most"}) {
    try {
      const FigureSet set({"frame.average", id});
      ADD_FAILURE() << id;
    } catch (const Error& error) {
      EXPECT_EQ(error.code(), Error::Code::invalid) << id;
      EXPECT_NE(std::string(error.what()).find("'" + std::string(id) + "'"), std::string::npos) << error.what();
    }
  }
  EXPECT_THROW(FigureSet({}), Error);
}

}  // namespace
}  // namespace idlemeter
