// What the command does with runs: shown, compared, found, changed, plotted, exported.
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <sstream>
#include <thread>

#include "command.hpp"
#include "folder.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/draw/png.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {
namespace {

using testing::expect_steps;
using testing::Outcome;
using testing::run;
using testing::Step;

TEST(Command, TheDemoDoesTheWholeJob) {
  const testing::Folder folder;
  const Outcome demo = run(folder, "demo --folder 'the demo'");
  ASSERT_EQ(demo.status, 0) << demo.err;
  EXPECT_NE(demo.out.find("run 1 (Ultra)  run 2 (High)"), std::string::npos);
  const Image overlay = load_png(folder / "the demo/overlay.png");
  EXPECT_EQ(overlay.width, 1920);

  const std::string store = " --store 'the demo/runs.db'";
  const auto runs = nlohmann::json::parse(run(folder, "runs --json" + store).out);
  ASSERT_EQ(runs.size(), 13u);
  EXPECT_EQ(runs[0]["settings"]["Preset"], "Ultra");

  const auto one = nlohmann::json::parse(run(folder, "runs show 2 --json" + store).out);
  const auto& lows = one["statistics"]["lows"];
  ASSERT_EQ(lows.size(), 9u);
  EXPECT_EQ(lows[0]["definition"], "mean of the slowest");
  EXPECT_NEAR(one["statistics"]["average_fps"].get<double>(),
              one["frames"].get<double>() / one["length_s"].get<double>(), 1e-9);

  EXPECT_EQ(one["limits"]["evidence"], "GPU times");
  EXPECT_GT(one["worst_hitches"][0]["unusual"].size(), 0u);

  const std::pair<const char*, std::vector<const char*>> shown[] = {
      {"", {"Tidepool Rally", "0.1% low", "longest", "limit     graphics card", "trust     !", "usually 6.0 MB/s"}},
      {" --intervals",
       {"no interval for the average, median, 1% low: the level wanders over the run; only repeats can tell",
        "no interval for the 0.1% low: only 5 frames in the slowest 0.1%"}},
      {" --all", {"share of time", "GPU hotspot temperature, °C", "pacing", "first 20 s"}}};
  for (const auto& [option, all] : shown) {
    const Outcome screen = run(folder, "runs show 1" + store + option);
    for (const char* words : all) EXPECT_NE(screen.out.find(words), std::string::npos) << words << screen.out;
    if (*option == '\0') {
      EXPECT_LE(std::count(screen.out.begin(), screen.out.end(), '\n'), 26) << "one screen";
    }
  }
  EXPECT_EQ(run(folder, "runs show 77" + store).status, 1);
  EXPECT_NE(run(folder, "runs show 77" + store).err.find("there is no run 77; the store has 1 to 13"),
            std::string::npos);

  EXPECT_EQ(run(folder, "demo --brief --folder 'the demo'").status,
            0);  // again: runs are added, nothing is overwritten
  EXPECT_EQ(nlohmann::json::parse(run(folder, "runs --json" + store).out).size(), 16u);
}

TEST(Command, ComparesGroupsOfRuns) {
  const testing::Folder folder;
  ASSERT_EQ(run(folder, "demo --folder d").status, 0);
  const std::string store = " --store d/runs.db";
  const Step cases[] = {
      {"compare 4-8 9-13", 0, {"Average frame rate, FPS", "Quality", "5 runs", "faster, best", "What else differs"}},
      {"compare --by upscaler 4-13 --base Quality", 0, {"slower", "  base", "worst"}},
      {"compare --by preset,upscaler",
       0,
       {"Ultra, no upscaler", "Medium, Quality", "too few runs to tell; about 3 in each group"}},
      {"compare 1 2 --tag compared", 0, {"Ultra ", "compared  10 runs", "too few runs"}},
      {"compare 4-8 9-13 --markdown", 0, {"| mean ± spread |", "| faster | best |", "**Average frame rate, FPS**"}},
      {"compare 4-8 9-13 --csv --figures gpu.power", 0, {"gpu.power,W,Quality,5,", "a share of the base", ",lower,"}},
      {"compare 4-8", 2, {"at least two groups of runs; name two lists"}},
      {"compare 4-8 x", 2, {"'x' isn't a list of runs; write it like 1-5"}},
      {"compare 4-8 77", 1, {"there is no run 77"}},
      {"compare --by shadows", 1, {"no run has a setting or fact 'shadows'; give runs settings with --set"}},
      {"compare --by preset --base Hihg", 1, {"no group is called 'Hihg'; did you mean 'High'?"}},
      {"compare 4-8 --tag none", 1, {"no run has the tag 'none'"}},
      {"compare 4-8 9-13 --json --csv", 2, {"excludes"}}};
  expect_steps(folder, cases, store);
  const auto json = nlohmann::json::parse(run(folder, "compare 4-8 9-13 --json" + store).out);
  EXPECT_EQ(json["figures"][0]["best"], "Quality");
  EXPECT_GT(json["figures"][0]["groups"][1]["difference"]["low"], 0);
  EXPECT_EQ(json["figures"][0]["groups"][1]["runs"], (std::vector<int>{9, 10, 11, 12, 13}));
}

TEST(Command, RunsAreFoundChangedRemovedAndCopied) {
  const testing::Folder folder;
  ASSERT_EQ(run(folder, "demo --brief --folder d").status, 0);
  folder.file("text.db", "no store");
  const Step steps[] = {
      {"runs --store d/runs.db --set preset=high", 0, {"\n  2 "}},
      {"runs --store d/runs.db --order average --reverse --sizes", 0, {"size, MiB", "note\n  3 "}},
      {"runs --store d/runs.db --text reef", 0, {"d/runs.db: no such runs"}},
      {"runs --store d/runs.db --order colour", 2, {"colour"}},
      {"runs change 1-2 --store d/runs.db --note dusk --tag pub --set fan=on", 0, {"2 runs changed"}},
      {"runs --store d/runs.db --tag PUB --text dusk", 0, {"\n  1 ", "\n  2 ", "fan on, pub, dusk"}},
      {"runs change 1 --store d/runs.db --no-note --drop-tag pub --unset fan", 0, {"1 run changed"}},
      {"runs change 1 --store d/runs.db", 2, {"nothing to change"}},
      {"runs remove 3- --store d/runs.db", 2, {"'3-' isn't a list of runs"}},
      {"runs change 1,9 --store d/runs.db --note x", 1, {"there is no run 9; the store has 1 to 3"}},
      {"runs remove 3 --store d/runs.db", 0, {"1 run removed; 'idlemeter runs restore 3'"}},
      {"runs show 3 --store d/runs.db", 1, {"run 3 was removed"}},
      {"runs --removed --store d/runs.db", 0, {"\n  3 "}},
      {"runs restore 3 --store d/runs.db", 0, {"1 run restored"}},
      {"runs add d/runs.db --store all.db --runs 1-2", 0, {"d/runs.db: 2 runs added as 1 to 2"}},
      {"runs add d/runs.db --store all.db", 0, {"1 run added as 3, 2 already here"}},
      {"runs add all.db --store all.db", 1, {"this is the store that runs are added to"}},
      {"runs add text.db --store all.db", 1, {"text.db: not an Idle Meter store"}},
      {"runs export 1 --store all.db", 0, {"run,presented (s),frame time (ms),GPU work (ms)\r\n1,0."}},
      {"runs export 1-2 --readings -o r.csv --store all.db", 0, {"r.csv"}},
      {"runs export 9 --store all.db", 1, {"there is no run 9"}},
      {"runs remove 1 --store all.db", 0, {"1 run removed"}},
      {"runs compact --store all.db", 0, {"1 run gone for good; the store takes "}},
      {"runs check --store all.db", 0, {"all is well"}},
      {"runs check --store all.db --repair new.db", 0, {"2 runs copied into new.db"}},
      {"runs check --store all.db --repair new.db", 1, {"new.db: already exists"}}};
  expect_steps(folder, steps);
}

TEST(Command, PlotsRuns) {
  const testing::Folder folder;
  ASSERT_EQ(run(folder, "demo --brief --folder d").status, 0);
  ASSERT_EQ(run(folder, R"(runs change 1 --store d/runs.db --game 'it'\''s "`id`" $x')").status, 0);
  const struct {
    std::string arguments;
    int status;
    const char* words;
  } cases[] = {{"plot 1-2 -o time.png --reading gpu.temp --span 0:10 0:20", 0, "time.png"},
               {"plot 1 -o spread.png --what spread --dark --size 640x360", 0, "spread.png"},
               {"plot 1-3 -o percentiles.svg --what percentiles", 0, "percentiles.svg"},
               {"plot 1 -o time.jpg", 2, "must end with .png or .svg"},
               {"plot 1 -o x.png --what pie", 2, "pie"},
               {"plot 9 -o x.png", 1, "there is no run 9"},
               {"plot 1 -o x.png --reading gpu.tmp", 1, "no run has the reading 'gpu.tmp'; did you mean 'gpu.temp'"},
               {"plot 1 -o x.png --span 2 1", 2, "--span takes two times, the first before the second"},
               {"plot 1 -o d/runs.db/x.png", 1, "d/runs.db"}};
  for (const auto& one : cases) {
    const Outcome outcome = run(folder, one.arguments + " --store d/runs.db");
    EXPECT_EQ(outcome.status, one.status) << one.arguments << outcome.err;
    EXPECT_NE((outcome.out + outcome.err).find(one.words), std::string::npos) << one.arguments << outcome.err;
  }
  EXPECT_EQ(load_png(folder / "time.png").width, 1280);
  const Image dark = load_png(folder / "spread.png");
  EXPECT_EQ(dark.height, 360);
  EXPECT_EQ(dark.at(2, 2), 0xff10141f);
  const std::string svg = testing::text_of(folder / "percentiles.svg");
  EXPECT_NE(svg.find("percentiles of frame time"), std::string::npos);
  EXPECT_FALSE(std::filesystem::exists(folder / "x.png"));
  const Outcome without = run(folder, "plot 1 -o y.png --store d/runs.db", "PATH=/nowhere");
  EXPECT_EQ(without.status, 1);
  EXPECT_NE(without.err.find("gnuplot, which isn't installed; install it"), std::string::npos) << without.err;
}

/// What comes out is what was recorded, to the nanosecond.
TEST(Command, ExportsWhatWasRecorded) {
  const testing::Folder folder;
  ASSERT_EQ(run(folder, "demo --brief --folder d").status, 0);
  const Store store(folder / "d/runs.db", Store::Mode::existing);
  std::istringstream frames(run(folder, "runs export 2 --store d/runs.db").out);
  std::string line;
  std::getline(frames, line);
  for (const FrameRecord& frame : store.frames(2)) {
    ASSERT_TRUE(std::getline(frames, line));
    double at = 0, ms = 0, work = 0;
    ASSERT_EQ(std::sscanf(line.c_str(), "2,%lf,%lf,%lf", &at, &ms, &work), 3) << line;
    ASSERT_EQ(std::llround(at * 1e9), frame.at.time_since_epoch().count());
    ASSERT_EQ(std::llround(ms * 1e6), frame.interval.count());
    ASSERT_EQ(std::llround(work * 1e6), frame.gpu_work.count());
  }
  EXPECT_FALSE(std::getline(frames, line));
  const std::string readings = run(folder, "runs export 1 --readings --store d/runs.db").out;
  EXPECT_EQ(readings.find("run,at (s),cpu.load (%),"), 0u) << readings.substr(0, 200);
  EXPECT_NE(readings.find(",gpu.temp (°C),"), std::string::npos);
  EXPECT_EQ(std::count(readings.begin(), readings.end(), '\n'), 121) << "a heading, and two a second";
}

TEST(Command, RunsComeInFromOtherProgramsAndGoOutToThem) {
  const testing::Folder folder;
  ASSERT_EQ(run(folder, "demo --brief --folder d").status, 0);
  folder.file("log.csv", "made by a tool\nn;ms between;fan\n1;16,5;a\n2;x;b\n3;17,5;c\n");
  folder.file("speeds.csv", "n,speed\n1,2\n");
  const Step steps[] = {
      {"runs import log.csv --store n.db",
       1,
       {"log.csv: no column is clearly the frame times; name it with --frame-time", "'ms between'"}},
      {"runs import log.csv --frame-time 'MS between' --dry-run --store n.db",
       0,
       {"in ms", "2 frames in 0.0 s; nothing was added", "1 of 3 lines", "line 4: 'x' in 'ms between' isn't a number"}},
      {"runs --store n.db", 1, {"there is no store here"}},
      {"runs import - --frame-time 2 --game Kelp --set fan=on --tag t --note hi --store n.db <log.csv",
       0,
       {"standard input: numbers with a decimal comma", "added as run 1"}},
      {"runs show 1 --json --store n.db",
       0,
       {"\"fan\": \"on\"", "\"Imported from\": \"standard input\"", "\"hi\"", "\"Kelp\""}},
      {"runs import speeds.csv --frame-time freim --store n.db", 1, {"no line has a column 'freim'"}},
      {"runs import log.csv --unit mm --store n.db", 2, {"'mm' isn't a unit; there are ns, us, ms, s and fps"}},
      {"runs import log.csv --time-unit fps --store n.db", 2, {"there are ns, us, ms, s"}},
      {"runs import log.csv --delimiter ,, --store n.db", 2, {"isn't one character, or tab"}},
      {"runs import none.csv --store n.db", 1, {"none.csv: cannot be read (No such file"}},
      {"runs export 1-2 --json --store d/runs.db -o r.json", 0, {"r.json"}},
      {"runs add r.json --store n.db", 0, {"r.json: 2 runs added as 2 to 3"}},
      {"runs add r.json --store n.db", 0, {"0 runs added, 2 already here"}},
      {"runs add r.json --store n.db --runs 1", 1, {"and this is a file of runs; add all of them"}},
      {"runs export 2-3 --json --store n.db -o again.json", 0, {"again.json"}},
      {"runs export 1 --results --store d/runs.db", 0, {"average (FPS),", "\r\n1,Tidepool Rally,"}},
      {"runs export 1-2 --figures 'frame.average,gpu.temp most' --store d/runs.db",
       0,
       {",frame.average (FPS),gpu.temp most (°C),"}},
      {"runs export 1 --results --json --store d/runs.db", 2, {"excludes"}},
      {"report --store d/runs.db", 2, {"name runs, like 3 or 1-5, groups to compare"}},
      {"report 1 77 --store d/runs.db", 1, {"there is no run 77"}},
      {"report 1-3 --store d/runs.db -o page.html --title 'a < b' --figures frame.average", 0, {"page.html"}},
      {"report 2 --store d/runs.db", 0, {"report.html"}},
      {"report 2 --store d/runs.db", 1, {"report.html: already exists; name a file with -o"}},
      {"report --by preset --store d/runs.db -o d/runs.db/x.html", 1, {"d/runs.db"}},
      {"compare 1 2 --store d/runs.db --bars bars.png --dark", 0, {"bars.png"}},
      {"compare 1 2 --store d/runs.db --bars bars.gif", 2, {"must end with .png or .svg"}}};
  expect_steps(folder, steps);
  EXPECT_TRUE(testing::text_of(folder / "again.json") == testing::text_of(folder / "r.json"));
  const std::string page = testing::text_of(folder / "page.html");
  EXPECT_NE(page.find("<title>a &lt; b</title>"), std::string::npos);
  EXPECT_EQ(page.find("id=\"comparison\""), std::string::npos) << "one group";
  EXPECT_EQ(load_png(folder / "bars.png").at(2, 2), 0xff10141f);
}

TEST(Command, LogsReadingsWithoutAGame) {
  const testing::Folder folder;
  const Step steps[] = {
      {"log gpu cpu.temp --rig desktop --every 1s --for 30s --pace cpu.temp=10s --note night --store l.db",
       0,
       {"readings every 1 s into l.db, as run 1", "Logged 30 s"}},
      {"runs --store l.db", 0, {"log, night"}},
      {"runs show 1 --store l.db",
       0,
       {"Log 1: ", "a log without a game: it has readings", "--all shows its readings, 'idlemeter changes 1' what",
        "heat "}},
      {"runs export 1 --readings --store l.db", 0, {"run,at (s),gpu.load (%)", "\r\n1,0.000000000,"}},
      {"changes 1 --store l.db", 0, {""}},
      {"log nothing-like-it --rig desktop --store l.db", 2, {"no reading has 'nothing-like-it'"}},
      {"log --for 1y --store l.db", 2, {"'1y' isn't a time that fits; write it like 2s, 90 min or 8h"}},
      {"log --pace gpu.temp --store l.db", 2, {"'gpu.temp' isn't a pace; write it like gpu.temp=5s"}},
      {"log --rig desktop --for 5s --store /proc/l.db", 1, {"/proc/l.db"}}};
  expect_steps(folder, steps);
}

TEST(Command, ALogGoesOnWhileTheClockIsSet) {
  const testing::Folder folder;
  const auto time = folder.file("time", "@2031-02-03 04:05:06");
  std::thread setter([&] {
    for (int i = 0; i < 1'000 && !std::filesystem::exists(folder / "l.db-wal"); ++i) ::usleep(10'000);
    for (const char* next : {"@2031-02-03 14:05:06", "@2019-06-07 08:09:10", "@2031-02-03 04:05:09"}) {
      ::usleep(500'000);
      std::filesystem::rename(folder.file("next", next), time);
    }
  });
  const Outcome outcome = run(folder, "log cpu.load --every 100ms --for 2s --store l.db",
                              "LD_PRELOAD='/usr/$LIB/faketime/libfaketimeMT.so.1' FAKETIME_DONT_FAKE_MONOTONIC=1 "
                              "FAKETIME_NO_CACHE=1 FAKETIME_DISABLE_SHM=1 FAKETIME_TIMESTAMP_FILE=" +
                                  time.string());
  setter.join();
  EXPECT_EQ(outcome.status, 0) << outcome.err;
  const Store store(folder / "l.db", Store::Mode::existing);
  EXPECT_EQ(store.run(1).started.substr(0, 10), "2031-02-03") << "the clock is that of the test";
  const auto at = store.series(1).at(0).at;
  ASSERT_GT(at.size(), 5u);
  EXPECT_TRUE(std::is_sorted(at.begin(), at.end()));
  EXPECT_LT(at.back(), Moment{60 * kSecond});
}

TEST(Command, SaysWhatChanged) {
  const testing::Folder folder;
  {
    // Five minutes at 30 frames a second; from 3:20 on at 20, with the GPU's clock lower three seconds before.
    Store store(folder / "runs.db");
    Moment now{};
    Recorder recorder(store, {.game = "Tidepool Rally"}, [&now] { return now; });
    const ReadingInfo clock{
        .id = "gpu.clock", .title = "GPU core clock", .kind = DeviceKind::graphics, .unit = Unit::megahertz};
    const auto list = std::make_shared<const ReadingList>(std::vector<ReadingInfo>{clock});
    for (int i = 0; now < Moment{300 * kSecond}; ++i) {
      const double jitter = static_cast<double>(i * 7'919 % 200 - 100) / 100;
      const Nanoseconds interval = from_seconds((now < Moment{200 * kSecond} ? 0.0333 : 0.05) * (1 + 0.02 * jitter));
      now += interval;
      recorder.add({now, interval});
      if (i % 10 == 0)
        recorder.add(now,
                     Snapshot(now, {std::make_shared<const Batch>(Batch{
                                       list, {(now < Moment{197 * kSecond} ? 2'450.0 : 1'980.0) + 5 * jitter}, now})}));
    }
    recorder.finish();
  }
  const Step cases[] = {
      {"changes 1",
       0,
       {"3:20  frame rate fell from 30.0 to 20.0 FPS (33 % less)\n", "3:17  GPU core clock  2450 → 1980 MHz"}},
      {"changes 1 --at 1:00", 0, {"Nothing much changed within a minute of 1:00"}},
      {"changes 1 --at 3:20 --json", 0, {"\"changes\"", "\"oddities\"", "\"frame.rate\""}},
      {"changes 1 -o changes.svg --dark", 0, {"changes.svg"}},
      {"changes 1 --at soon", 2, {"'soon' isn't a time; write it like 20:00 or 90 s"}},
      {"changes 1 -o changes.pdf", 2, {"must end with .png or .svg"}},
      {"changes 9", 1, {"there is no run 9"}}};
  expect_steps(folder, cases, " --store runs.db");
}

/// Ids, and a set that the settings have under a name; of one run, of several, and of all.
TEST(Command, LooksIntoLogsAndTables) {
  const testing::Folder folder;
  std::string table = "Elapsed;GPU power, W;Fan\n";
  for (int second = 0; second < 400; ++second)
    table += fmt::format("{}:{:02};{},5;{}\n", second / 60, second % 60,
                         second < 200 ? 200 + second % 7 : 260 + second % 5, second < 200 ? "quiet" : "loud");
  folder.file("power.csv", table);
  folder.file("no-time.csv", "a,b\n1,2\n3,4\n");
  const Step steps[] = {
      {"changes power.csv",
       0,
       {"moments from 'Elapsed'", "3:20  GPU power rose from 203", "to 262", "fan  quiet → loud"}},
      {"changes power.csv --at 1:00", 0, {"Nothing much changed within a minute of 1:00"}},
      {"changes power.csv -o power.png", 0, {"power.png"}},
      {"changes no-time.csv", 1, {"no-time.csv: no column says when", "there are: a, b"}},
      {"changes no-time.csv --every 1s", 0, {"Nothing much changed"}},
      {"changes no-time.csv --time c", 1, {"it has no column 'c'"}},
      {"changes no-time.csv --time a --every 1s", 2},
      {"changes gone.csv", 1, {"gone.csv: cannot read it (No such file or directory)"}},
      {"changes 99999999999999999999", 1, {"99999999999999999999: cannot read it"}},
      {"log gpu --rig --for 3min --store log.db", 0, {"Logged 180 s"}},
      {"runs --store log.db", 0, {"179.6       0             –  log"}},
      {"plot 1 --store log.db -o log.png", 1, {"there are no frames to plot; name readings of a log with --reading"}},
      {"plot 1 --reading gpu.temp --store log.db -o log.png", 0, {"log.png"}}};
  testing::expect_steps(folder, steps);
  EXPECT_EQ(load_png(folder / "log.png").width, 1280);
  const auto json = nlohmann::json::parse(run(folder, "changes power.csv --json 2>/dev/null").out);
  EXPECT_EQ(json["changes"][0]["at_s"], 200);
  EXPECT_EQ(json["changes"][0]["texts"][0]["after"], "loud");
}

TEST(Command, ShowsTheFiguresThatWereChosen) {
  const testing::Folder folder;
  ASSERT_EQ(run(folder, "demo --brief --folder d").status, 0);
  folder.file("s.toml", R"([figures]
short = ["frame.average", "frame.low@1%@percentile", "gpu.temp most", "stutter.count"])");
  const std::string store = " --store d/runs.db --settings s.toml --figures ";
  const Step cases[] = {
      {"runs" + store + "short", 0, {"Avg, FPS", "1% low, FPS", "GPU, most, °C", "Preset Ultra", "\n  3 "}},
      {"runs show 1" + store + "short", 0, {"1% low, percentile, FPS", "Stutters", "! Marl G9 throttled"}},
      {"runs show 1 2" + store + "frame.median,own.none", 0, {"run 2 (High)", "own.none", "! run 2: "}},
      {"runs show 1" + store + "shirt", 1, {"no set of figures is called 'shirt'; did you mean 'short'?"}},
      {"runs show 1" + store + "frame.lwo@1%", 1, {"'frame.lwo@1%' isn't a figure of a run; did you mean"}},
      {"runs show 1" + store + "frame.low@1%@10s", 1, {"isn't a figure of a run"}},
      {"runs show 1 --all" + store + "short", 2, {"--all excludes --figures"}}};
  expect_steps(folder, cases);
  const auto whole = nlohmann::json::parse(run(folder, "runs show 2 --json --store d/runs.db").out);
  const auto few = nlohmann::json::parse(run(folder, "runs show 2 --json" + store + "short").out)[0]["figures"];
  ASSERT_EQ(few.size(), 4u);
  EXPECT_EQ(few[0]["value"], whole["statistics"]["average_fps"]);
  EXPECT_EQ(few[1]["value"], whole["statistics"]["lows"][1]["fps"]);
  EXPECT_EQ(few[2]["unit"], "°C");
  EXPECT_EQ(few[3]["value"], whole["stutters"]["frames"].size());
}

}  // namespace
}  // namespace idlemeter
