// What is worked out of runs is kept in their store, and never taken for something else.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <filesystem>
#include <random>
#include <string>
#include <vector>

#include "folder.hpp"
#include "idlemeter/insight/figure_set.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/json/runs.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/store.hpp"
#include "insight/run/insight_bytes.hpp"
#include "stores.hpp"

namespace idlemeter {
namespace {

using namespace testing;
namespace fs = std::filesystem;

/// Frames of about 10 ms with stutters, a loading screen, marks and a temperature that rises, for so many seconds.
void record(Recorder& recorder, int first, int last) {
  const ReadingInfo mark{.id = "recording.mark", .text = true};
  std::mt19937 random(7);
  for (int frame = first; frame < last; ++frame) {
    const Nanoseconds extra = frame % 700 == 699 ? 40 * kMillisecond : Nanoseconds{random() % 1'000'000};
    recorder.add({Moment{frame * 10 * kMillisecond}, 9 * kMillisecond + extra, 8 * kMillisecond});
    if (frame % 50 == 0)
      recorder.add(Moment{frame * 10 * kMillisecond},
                   snapshot_of({kTemp, kLoad, mark}, {60 + frame / 200.0, 97.0, std::string("1: jump")}));
  }
}

struct Runs {
  Folder folder;
  fs::path file = folder / "runs.db";
  Store store{file};

  explicit Runs(int count = 3) {
    for (int run = 1; run <= count; ++run) {
      Recorder recorder(store, {.game = "Tidepool Rally", .settings = {{"Preset", run % 2 == 0 ? "High" : "Low"}}});
      record(recorder, 1, 2'000 + 500 * run);
      recorder.finish();
    }
  }

  [[nodiscard]] std::int64_t kept() const { return count_of(file, "SELECT count(*) FROM run_result"); }
};

std::string text_of(const std::vector<RunInsight>& runs) {
  return insight_json(runs, std::vector<std::vector<SureFigure>>(runs.size()));
}

using Ids = std::vector<std::int64_t>;

const Ids kRuns = {1, 2, 3};

TEST(KeptResults, AreWhatIsWorkedOut) {
  const SummaryRequest requests[] = {
      {},
      {{}, {}, {}},
      {{Share::percent(0.1), Share::percent(1)}, {LowDefinition::percentile}, {0.999, 0.05}},
      {{Share::percent(5)}, {LowDefinition::mean_of_slowest}, {0.5}}};
  const Runs runs;
  for (const bool loading : {false, true}) {
    for (const SummaryRequest& request : requests) {
      const InsightOptions how{.figures = request, .leave_out_loading = loading, .hitches = 0};
      std::vector<RunInsight> fresh;
      for (const std::int64_t run : kRuns) fresh.push_back(insight_of(runs.store, run, how));
      const std::string expected = text_of(fresh);
      for (const char* time : {"first", "second"})
        EXPECT_EQ(text_of(insights_of(runs.store, kRuns, how)), expected) << time;
    }
  }
  EXPECT_EQ(runs.kept(), 3 * 4) << "the first three requests have one answer, with loading screens and without";
  const auto some = insights_of(runs.store, kRuns, {.hitches = 0, .readings = {{"gpu.temp"}}});
  ASSERT_EQ(some[1].readings.size(), 1u);
  EXPECT_EQ(some[1].readings[0].info, kTemp);
}

TEST(KeptResults, AreForgottenWithWhatTheyRestOn) {
  const auto average = [](const Store& store, std::int64_t run = 1) {
    return FigureSet({"frame.average"}).of(insights_of(store, Ids{run}, {.hitches = 0}).front()).front().value;
  };
  Runs runs(1);
  const auto first = average(runs.store);
  const struct {
    const char* what;
    std::string sql;
  } changes[] = {{"another definition", "UPDATE run_result SET definition = 0"},
                 {"another run", "UPDATE run_result SET frames = frames + 1"},
                 {"damaged", "UPDATE run_result SET result = substr(result, 1, 40)"},
                 {"something else", "UPDATE run_result SET result = zeroblob(40)"}};
  for (const auto& [what, sql] : changes) {
    change(runs.file, sql);
    EXPECT_EQ(average(runs.store), first) << what;
    EXPECT_EQ(count_of(runs.file, "SELECT definition > 0 AND length(result) > 100 FROM run_result"), 1)
        << what << " is replaced";
  }
  runs.store.change(Ids{1}, {.note = "warm"});
  EXPECT_EQ(insights_of(runs.store, Ids{1}, {.hitches = 0}).front().info.details.note, "warm");

  Store copy(runs.folder / "copy.db");
  Recorder recorder(runs.store, {.game = "Tidepool Rally"});
  record(recorder, 1, 1'000);
  recorder.flush();
  EXPECT_TRUE(average(runs.store, 2)) << "of what is there so far";
  EXPECT_EQ(runs.kept(), 1) << "a run that isn't finished is worked out each time";
  (void)copy.add(runs.store);
  record(recorder, 1'000, 2'000);
  recorder.finish();
  const auto whole = insight_of(runs.store, 2).summary.frames;
  EXPECT_EQ(insights_of(runs.store, Ids{2}, {.hitches = 0}).front().summary.frames, whole);
  EXPECT_EQ(copy.add(runs.store).continued.size(), 1u);
  EXPECT_EQ(insights_of(copy, Ids{2}, {.hitches = 0}).front().summary.frames, whole);
  runs.store.remove(Ids{1});
  (void)runs.store.compact();
  EXPECT_EQ(count_of(runs.file, "SELECT count(*) FROM run_result WHERE run = 1"), 0);
}

TEST(KeptResults, AreTheSameForRemovedRunsAndBesideADamagedOne) {
  Runs runs;
  runs.store.remove(Ids{2});
  const auto removed = [&] {
    return text_of(
        insights_of_list(runs.store, runs.store.runs(Store::Facts::all, Store::Which::removed), {.hitches = 0}));
  };
  const std::string first = removed();
  EXPECT_NE(first.find("\"run\": 2"), std::string::npos) << first.substr(0, 200);
  EXPECT_EQ(removed(), first);
  runs.store.restore(Ids{2});
  (void)insights_of(runs.store, kRuns, {.hitches = 0});
  change(runs.file, "UPDATE run_result SET result = x'00' WHERE run = 1; UPDATE run_result SET ended = 'time'");
  change(runs.file, "UPDATE run_result SET ended = 'asked', lost = 1 WHERE run = 3");
  (void)insights_of(runs.store, kRuns, {.hitches = 0});
  EXPECT_EQ(count_of(runs.file,
                     "SELECT count(*) FROM run_result WHERE length(result) > 100 AND ended = 'asked' AND "
                     "lost = 0"),
            3);
}

TEST(KeptResults, AreOnlyAHelp) {
  const Runs runs(1);
  fs::permissions(runs.file, fs::perms::owner_read | fs::perms::group_read | fs::perms::others_read);
  change(runs.file, "PRAGMA wal_checkpoint(TRUNCATE)");
  fs::permissions(runs.folder.path(), static_cast<fs::perms>(0555));
  const auto frames = [&] {
    const Store store(runs.file, Store::Mode::existing);
    return fmt::format("{}", insights_of(store, Ids{1}, {.hitches = 0}).front().summary.frames);
  };
  EXPECT_EQ(as_nobody(frames), "2499") << "a store that can't be written to is read";
  fs::permissions(runs.folder.path(), fs::perms::owner_all);
  EXPECT_EQ(runs.kept(), 0);
}

/// If this fails, insight_of() works something out in another way: give kDefinition in insights.cpp a new number, so
/// that what stores have kept isn't shown any more, and put the new figures here.
TEST(Insights, AreWorkedOutByThisDefinition) {
  const Runs runs(1);
  const RunInsight run = insights_of(runs.store, Ids{1}, {.hitches = 0}).front();
  std::string text = fmt::format("{} {:.6g} {:.6g} {}", run.summary.frames, *run.summary.average_rate,
                                 *run.summary.pacing, run.longest_at.time_since_epoch().count());
  for (const Low& low : run.summary.lows) text += fmt::format(" {:.6g}", low.rate);
  for (const Percentile& one : run.summary.percentiles) text += fmt::format(" {:.6g}", one.frame_time);
  text += fmt::format("; {} {} {}", run.stutters.frames.size(), run.stutters.lost.count(), run.stutters.hitches.size());
  text += fmt::format("; {} {:.6g}", name_of(run.limits.main()), run.limits.share(run.limits.main()));
  for (const ReadingInsight& one : run.readings)
    text += fmt::format("; {} {:.6g} {:.6g} {:.6g}", one.info.id, one.all.mean, one.first.value_or(-1),
                        one.over.value_or(-1));
  for (const Doubt& doubt : run.doubts) text += fmt::format("; {}", name_of(doubt.rule));
  EXPECT_EQ(text,
            "2499 104.693 428359 6941000000 68.1498 100.135 100.067 29.9404 100.036 20.4082 20.4082 33.809 20.4082 "
            "9.05772e+06 9.94429e+06 9.9865e+06 2.95779e+07; 3 118480247 3; mixed 1; gpu.temp 66.25 62 0; gpu.load 97 "
            "97 -1; short; warming-up");
  EXPECT_EQ(count_of(runs.file, "SELECT definition FROM run_result"), 2);
}

TEST(InsightBytes, AreReadWholeOrNotAtAll) {
  const Runs runs(1);
  const std::string bytes = insight::bytes_of(insight_of(runs.store, 1));
  ASSERT_TRUE(insight::insight_from(bytes, {}));
  EXPECT_FALSE(insight::insight_from(bytes + "x", {}));
  for (std::size_t size = 0; size < bytes.size(); size += 7)
    EXPECT_FALSE(insight::insight_from(std::string_view(bytes).substr(0, size), {})) << size;
  std::mt19937 random(1);
  for (int i = 0; i < 2'000; ++i) {  // whatever they say, nothing is read beyond their end
    std::string other = bytes;
    other[random() % other.size()] = static_cast<char>(random());
    (void)insight::insight_from(other, {});
  }
}

}  // namespace
}  // namespace idlemeter
