// What the command and a page do alike: choosing, grouping, comparing and plotting runs.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cstdio>
#include <filesystem>
#include <map>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/table.hpp"
#include "idlemeter/insight/change_subject.hpp"
#include "idlemeter/insight/comparison_text.hpp"
#include "idlemeter/insight/run_groups.hpp"
#include "idlemeter/json/changes.hpp"
#include "idlemeter/json/comparison.hpp"
#include "idlemeter/json/readings.hpp"
#include "idlemeter/json/runs.hpp"
#include "idlemeter/plot/change_plot.hpp"
#include "idlemeter/plot/comparison_plot.hpp"
#include "idlemeter/plot/run_plot.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/run_file.hpp"
#include "idlemeter/runs/run_filter.hpp"
#include "idlemeter/runs/run_list.hpp"
#include "idlemeter/runs/store.hpp"
#include "plot/gnuplot_script.hpp"
#include "stores.hpp"

namespace idlemeter {
namespace {

using Json = nlohmann::json;
using Ids = std::vector<std::int64_t>;

const ReadingInfo kPower{.id = "gpu.power", .title = "GPU power", .unit = Unit::watt};

/// Ten seconds at a steady rate, with a power that jumps by half of it after five.
void record(Store& store, const std::string& game, int rate, const std::string& preset, const std::string& tag = "") {
  Moment at{};
  Recorder recorder(store, {.game = game, .tags = {tag}, .settings = {{"Preset", preset}}}, [&at] { return at; });
  const Nanoseconds length = kSecond / rate;
  for (int i = 0; i < 10 * rate; ++i) {
    recorder.add({at += length, length, kUnknownTime});
    if (i % (rate / 2) == 0) recorder.add(at, testing::snapshot_of({kPower}, {i < 5 * rate ? 100.0 : 150.0}));
  }
  recorder.finish();
}

/// Two runs of each preset; the second game is faster.
struct FourRuns {
  testing::Folder folder;
  Store store{folder / "runs.db"};

  FourRuns() {
    record(store, "tidepool", 60, "High", "new");
    record(store, "Rockpool", 100, "High");
    record(store, "tidepool", 80, "Low", "new");
    record(store, "Anemone", 120, "Low");
  }
};

std::string problem_of(const auto& call) {
  try {
    call();
  } catch (const Error& error) {
    return error.problem();
  }
  return "";
}

TEST(RunList, IsReadAsPeopleWriteIt) {
  EXPECT_EQ(run_list("3"), Ids({3}));
  EXPECT_EQ(run_list("1-3,7,2"), Ids({1, 2, 3, 7, 2}));
  EXPECT_EQ(run_lists({"1-2", "5"}), Ids({1, 2, 5}));
  for (const char* wrong : {"", "x", "0", "3-1", "1-", "-2", "1,,2", "1-20000", "1 2", "99999999999999999999"})
    EXPECT_THROW((void)run_list(wrong), Error) << wrong;
}

TEST(RunOrder, SortsByWhatItIsCalledAndKeepsTheRest) {
  const FourRuns four;
  const struct {
    const char* order;
    Ids ids;
  } cases[] = {{"number", {1, 2, 3, 4}}, {"game", {4, 2, 1, 3}}, {"frames", {1, 3, 2, 4}}, {"average", {1, 3, 2, 4}}};
  for (const auto& one : cases) {
    auto runs = four.store.runs();
    std::reverse(runs.begin(), runs.end());
    if (std::string(one.order) == "game") std::reverse(runs.begin(), runs.end());
    const auto order = run_order_from(one.order);
    ASSERT_TRUE(order) << one.order;
    EXPECT_EQ(name_of(*order), one.order);
    sort_runs(runs, *order);
    Ids ids;
    for (const RunInfo& run : runs) ids.push_back(run.id);
    EXPECT_EQ(ids, one.ids) << one.order;
  }
  EXPECT_FALSE(run_order_from("size"));
}

TEST(RunGroups, AreChosenByListsTagsAndSettings) {
  const FourRuns four;
  const FigureSet figures({"frame.average"});
  const auto names = [&](const GroupChoice& choice) {
    std::vector<std::string> all;
    for (const RunGroup& group : choose_groups(four.store, choice, figures).groups)
      all.push_back(group.name + " " + std::to_string(group.runs.size()));
    return all;
  };
  using Names = std::vector<std::string>;
  EXPECT_EQ(names({.by = {"preset"}}), Names({"High 2", "Low 2"}));
  EXPECT_EQ(names({.lists = {"1,3,4"}, .by = {"preset"}}), Names({"High 1", "Low 2"}));
  EXPECT_EQ(names({.lists = {"1-2", "3-4"}}), Names({"High 2", "Low 2"})) << "named by what tells them apart";
  EXPECT_EQ(names({.lists = {"1,3", "2,4"}}), Names({"runs 1,3 2", "runs 2,4 2"}));
  EXPECT_EQ(names({.tags = {"new"}}), Names({"new 2"}));
  EXPECT_EQ(choose_groups(four.store, {.by = {"preset"}, .base = "Low"}, figures).how.base, 1u);
  EXPECT_EQ(problem_of([&] { names({.by = {"prest"}}); }),
            "no run has a setting or fact 'prest'; did you mean 'Preset'?");
  EXPECT_EQ(problem_of([&] { names({.tags = {"old"}}); }), "no run has the tag 'old'");
  EXPECT_EQ(problem_of([&] { (void)choose_groups(four.store, {.by = {"preset"}, .base = "Mid"}, figures); }),
            "no group is called 'Mid'");
}

TEST(FigureSet, IsASavedOneOrIds) {
  const std::map<std::string, std::vector<std::string>> saved = {{"mine", {"frame.average", "gpu.power"}}};
  const auto count = [&](const char* choice) { return FigureSet::named(choice, saved).of(RunInsight()).size(); };
  EXPECT_EQ(count("mine"), 2u);
  EXPECT_EQ(count("frame.low@1%"), 1u);
  EXPECT_EQ(count("frame.average,frame.median,gpu.power"), 3u);
  EXPECT_EQ(problem_of([&] { (void)count("mien"); }), "no set of figures is called 'mien'; did you mean 'mine'?");
}

TEST(Comparison, SaysTheSameInEveryForm) {
  const FourRuns four;
  const FigureSet figures({"frame.average", "gpu.power"});
  const ChosenGroups chosen = choose_groups(four.store, {.by = {"preset"}}, figures);
  const Comparison found = compare(chosen.groups, figures, chosen.how);
  const double mean = *found.figures[0].groups[1].mean;
  const Json json = Json::parse(comparison_json(found));
  EXPECT_DOUBLE_EQ(json["figures"][0]["groups"][1]["mean"].get<double>(), mean);
  EXPECT_NEAR(json["figures"][1]["groups"][0]["values"][1].get<double>(), 125, 1e-9);
  EXPECT_EQ(json["base"], "High");
  const std::string number = fmt::format("{:.1f}", mean);
  EXPECT_NE(comparison_text(found, chosen.how.rules).find(number), std::string::npos);
  EXPECT_NE(comparison_markdown(found).find("| Low | 2 | " + number), std::string::npos);
  EXPECT_NE(comparison_csv(found).find(fmt::format("frame.average,FPS,Low,2,{}", mean)), std::string::npos);
  const BarPlot bars = comparison_plot(found, chosen.how.rules, "by preset");
  ASSERT_EQ(bars.panels.size(), 2u);
  EXPECT_DOUBLE_EQ(bars.panels[0].bars[1].value, mean);
  EXPECT_LT(bars.panels[0].bars[1].low, mean);
}

TEST(RunPlot, HasACurveForEachRunAndRefusesWhatItCannotDraw) {
  const FourRuns four;
  const Ids two = {1, 3};
  const Plot plot = run_plot(four.store, two, {.readings = {"gpu.power"}, .span = {{2 * kSecond, 4 * kSecond}}});
  ASSERT_EQ(plot.panels.size(), 3u) << "rate, frame times, power";
  ASSERT_EQ(plot.panels[0].curves.size(), 2u);
  EXPECT_NE(plot.panels[0].curves[1].title.find("Low"), std::string::npos);
  EXPECT_EQ(plot.x_from, 2);
  EXPECT_EQ(plot.x_to, 4);
  for (const PlotPoint& point : plot.panels[1].curves[0].points) EXPECT_TRUE(point.x >= 2 && point.x <= 4);
  EXPECT_EQ(problem_of([&] { (void)run_plot(four.store, Ids({1, 2, 3, 4, 1, 2, 3})); }), "a plot shows up to 6 runs");
  EXPECT_EQ(problem_of([&] { (void)run_plot(four.store, two, {.readings = {"gpu.powr"}}); }),
            "no run has the reading 'gpu.powr'; did you mean 'gpu.power'?");
  const Plot shares = run_plot(four.store, two, {.what = RunPlotOptions::What::spread});
  double sum = 0;
  for (const PlotPoint& point : shares.panels[0].curves[0].points) sum += point.y;
  EXPECT_NEAR(sum, 100, 1e-6);
}

TEST(GnuplotScript, QuotesTextsAndKeepsPanelsApart) {
  Plot plot{.title = "a \"b\" `c` \\d", .x_title = "s", .panels = {}, .x_to = 10};
  plot.marks = {{5, "mark"}};
  for (int i = 0; i < 3; ++i)
    plot.panels.push_back({"panel", "W", {{"one", {{0, 1}, {10, 2}}, 0, Curve::Look::line}}, i == 1 ? 2.0 : 1.0});
  const std::string script = plot::script_of(plot, "out.png");
  EXPECT_EQ(script.find('`'), std::string::npos) << "gnuplot would start a program";
  EXPECT_NE(script.find("a \\042b\\042 \\140c\\140 \\134d"), std::string::npos) << script;
  double last = 1;
  int panels = 0;
  for (std::size_t at = 0; (at = script.find("set tmargin at screen ", at)) != std::string::npos; ++panels) {
    double upper = 0, lower = 0;
    ASSERT_EQ(std::sscanf(script.c_str() + at, "set tmargin at screen %lf\nset bmargin at screen %lf", &upper, &lower),
              2);
    EXPECT_LT(upper, last) << "below the one before";
    EXPECT_LT(lower, upper);
    last = lower;
    ++at;
  }
  EXPECT_EQ(panels, 3);
  EXPECT_GT(last, 0);
}

TEST(ChangeSubject, IsTheSameOfARunItsFileAndItsPlot) {
  testing::Folder folder;
  Store store(folder / "runs.db");
  Moment at{};
  Recorder recorder(store, {}, [&at] { return at; });
  for (int i = 0; i < 1'200; ++i) {
    at += kSecond;
    recorder.add(at, testing::snapshot_of({kPower}, {(i < 600 ? 100.0 : 150.0) + i % 7}));
  }
  recorder.finish();
  const ChangeSubject subject = change_subject(store, 1);
  EXPECT_EQ(subject.name, "run 1");
  const Changes changes = find_changes(subject);
  ASSERT_EQ(changes.events.size(), 1u);
  EXPECT_EQ(changes_near(changes, Moment{590 * kSecond}).events.size(), 1u);
  EXPECT_TRUE(changes_near(changes, Moment{400 * kSecond}).events.empty());
  const Json json = Json::parse(changes_json(changes, {{7, "Tidepool Rally", 10 * kSecond, 20 * kSecond}}));
  EXPECT_NEAR(json["changes"][0]["readings"][0]["after"].get<double>(), 153, 1);
  EXPECT_EQ(json["meanwhile"][0]["run"], 7);
  const Plot plot = change_plot(changes, subject);
  ASSERT_EQ(plot.panels.size(), 1u);
  EXPECT_EQ(plot.panels[0].title, "GPU power");
  EXPECT_NEAR(plot.marks.at(0).at, 600, 2);
  EXPECT_EQ(problem_of([&] { (void)change_plot({}, subject); }), "nothing changed, so there is nothing to draw");
}

TEST(CopiedRuns, ComeFromStoresAndFilesAndNeverOverwrite) {
  const FourRuns four;
  const Ids two = {1, 3};
  EXPECT_EQ(copy_runs(four.store, four.folder / "two.db", two).runs.size(), 2u);
  EXPECT_EQ(problem_of([&] { (void)copy_runs(four.store, four.folder / "two.db"); }), "already exists");
  EXPECT_EQ(problem_of([&] { (void)copy_runs(four.store, four.folder / "bad.db", Ids({9})); }), "there is no run 9");
  EXPECT_FALSE(std::filesystem::exists(four.folder / "bad.db"));
  Store into(four.folder / "into.db");
  EXPECT_EQ(add_runs(into, four.folder / "two.db").runs.size(), 2u);
  const auto file = four.folder.file("runs.json", run_file(four.store, Ids({1, 2})));
  EXPECT_EQ(problem_of([&] { (void)add_runs(into, file, Ids({1})); }),
            "only runs of a store have numbers, and this is a file of runs");
  const Store::Added added = add_runs(into, file);
  EXPECT_EQ(added.runs.size(), 1u);
  EXPECT_EQ(added.already, 1u);
  EXPECT_EQ(problem_of([&] { (void)add_runs(into, four.folder / "into.db"); }),
            "this is the store that runs are added to");
}

TEST(Errors, SayWhatKindTheyAre) {
  FourRuns four;
  const auto file = four.folder / "newer.db", locked = four.folder / "locked.db", cut = four.folder / "cut.db";
  for (const auto& copy : {file, locked, cut}) (void)copy_runs(four.store, copy, {});
  testing::change(file, "PRAGMA user_version = 99");
  testing::change(cut, "UPDATE frame_chunk SET intervals_ns = x'00' WHERE packed = 1; PRAGMA user_version = -1");
  sqlite3* other = nullptr;
  ASSERT_EQ(sqlite3_open(locked.c_str(), &other), SQLITE_OK);
  ASSERT_EQ(sqlite3_exec(other, "BEGIN IMMEDIATE", nullptr, nullptr, nullptr), SQLITE_OK);
  const auto open = [](const std::filesystem::path& path) {
    return Store(path, Store::Mode::existing, {Nanoseconds{}});
  };
  using enum Error::Code;
  const struct {
    Error::Code code;
    std::function<void()> call;
  } cases[] = {
      {misuse,
       [] {
         (void)summarize(std::vector{kSecond}, {{Share{2'000'000}}, {}, {}});
       }},
      {misuse, [] { (void)Share::percent(200); }},
      {invalid, [] { (void)run_list("one"); }},
      {not_found, [&] { (void)four.store.run(99); }},
      {exists, [&] { (void)copy_runs(four.store, file, {}); }},
      {unreadable, [&] { (void)open(four.folder.file("a.txt", "not a store, but long enough to be looked at")); }},
      {unwritable, [] { (void)Store("/proc/idlemeter/runs.db"); }},
      {in_use, [&] { open(locked).change(Ids{1}, {.note = "x"}); }},
      {damaged, [&] { (void)open(cut); }},
      {newer, [&] { (void)open(file); }}};
  for (const auto& c : cases) {
    try {
      c.call();
      ADD_FAILURE() << name_of(c.code);
    } catch (const Error& error) {
      EXPECT_EQ(name_of(error.code()), name_of(c.code)) << error.what();
    }
  }
  sqlite3_close(other);
  for (int code = 0; code <= static_cast<int>(failed); ++code)
    EXPECT_EQ(error_code_from(name_of(static_cast<Error::Code>(code))), static_cast<Error::Code>(code));
}

TEST(Json, HasNullForWhatIsMissingAndEscapesControls) {
  const ReadingInfo named{.id = "x.y", .title = "a\x1b[31m", .unit = Unit::none};
  Ranges ranges;
  const Snapshot now = testing::snapshot_of({kPower, named}, {125.5, Missing{"no sensor"}});
  ranges.add(now.entries());
  const std::string text = readings_json(now.entries(), ranges);
  EXPECT_EQ(text.find('\x1b'), std::string::npos);
  const Json json = Json::parse(text);
  EXPECT_EQ(json[0]["value"], 125.5);
  EXPECT_EQ(json[0]["most"], 125.5);
  EXPECT_EQ(json[1]["value"], nullptr);
  EXPECT_EQ(json[1]["missing"], "no sensor");
  EXPECT_EQ(json[1]["title"], "a\x1b[31m");
  RunInsight empty;
  EXPECT_EQ(Json::parse(insight_json({empty}, {{}}))["statistics"]["average_fps"], nullptr);
  EXPECT_EQ(Json::parse(insight_json({empty, empty}, {{}, {}})).size(), 2u) << "an array for several";
}

TEST(Table, AlignsByCharactersAndTrimsLines) {
  Table table({Table::Align::left, Table::Align::right});
  table.add({"é", "1"});
  table.add_line("between");
  table.add({"long\nname", "22"});
  EXPECT_EQ(table.text(">"), ">é           1\n>between\n>long\uFFFDname  22\n");
}

}  // namespace
}  // namespace idlemeter
