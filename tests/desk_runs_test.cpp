// The desk's runs and settings without a browser: the same figures as the library's, nothing lost, nothing of strangers
// believed.
#include <gtest/gtest.h>

#include <algorithm>
#include <chrono>
#include <string>
#include <vector>

#include "a_desk.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/insight/definitions.hpp"
#include "idlemeter/runs/run_file.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {
namespace {

using namespace std::chrono_literals;
using testing::Json;
using testing::kLoad;
using testing::snapshot_of;

class DeskRuns : public testing::DeskTest {
 protected:
  /// Records a run of `frames` frames; one takes 90 ms. The GPU's load is sampled every 100 frames.
  std::int64_t add(Nanoseconds frame, int frames, RunDetails details) const {
    Store store(folder / "runs.db");
    testing::Clock clock;
    Recorder recorder(store, std::move(details), clock.function());
    for (int i = 0; i < frames; ++i) {
      const Nanoseconds took = i == frames / 2 ? Nanoseconds(90ms) : frame + Nanoseconds(i % 7) * 1'000;
      clock.now += took;
      recorder.add({clock.now, took});
      if (i % 100 == 0) recorder.add(clock.now, snapshot_of({kLoad}, {50.0 + i % 3}));
    }
    return recorder.finish();
  }

  Json ask(const std::string& path, const std::string& body, int status = 200) {
    const auto answer =
        client.Post(path, {{"Cookie", cookie}, {"Origin", "http://" + host()}}, body, "application/octet-stream");
    EXPECT_EQ(answer->status, status) << path << answer->body;
    return Json::parse(answer->body, nullptr, false);
  }

  std::vector<std::int64_t> listed(const std::string& question) {
    std::vector<std::int64_t> runs;
    const Json answer = get("/api/runs?from=0&count=100" + question);
    for (const Json& run : answer.at("runs")) runs.push_back(run.at("run"));
    return runs;
  }
};

TEST_F(DeskRuns, AreListedFilteredAndOrdered) {
  EXPECT_EQ(get("/api/runs?from=0&count=10").at("all"), 0) << "no store yet";
  add(16ms, 200, {.game = "Tidepool Rally", .tags = {"wet"}, .settings = {{"Preset", "High"}}});
  add(8ms, 300, {.game = "Kelp Derby", .note = "a gull"});
  add(12ms, 250, {.game = "Tidepool Rally", .settings = {{"Preset", "Low"}}});
  const struct {
    const char* question;
    std::vector<std::int64_t> runs;
  } cases[] = {
      {"", {3, 2, 1}},
      {"&rising=yes", {1, 2, 3}},
      {"&order=average", {2, 3, 1}},
      {"&filter=%7B%22text%22:%22GULL%22%7D", {2}},
      {"&filter=%7B%22tags%22:[%22wet%22]%7D", {1}},
      {"&filter=%7B%22settings%22:[%22preset%3Dlow%22]%7D", {3}},
      {"&filter=%7B%22runs%22:%221,3%22,%22game%22:%22tide%22%7D", {3, 1}},
      {"&filter=%7B%22since%22:%222999%22%7D", {}},
  };
  for (const auto& [question, runs] : cases) EXPECT_EQ(listed(question), runs) << question;
  EXPECT_EQ(get("/api/runs?from=1&count=1").at("runs").at(0).at("run"), 2);
  EXPECT_EQ(get("/api/runs?from=0&count=1").at("choices").at("settings"), Json({"Preset=High", "Preset=Low"}));
  for (const char* wrong : {"/api/runs?from=0", "/api/runs?from=0&count=9999", "/api/runs?from=0&count=1&order=luck",
                            "/api/runs?from=0&count=1&filter=3", "/api/runs?from=0&count=1&filter=%7B%22tags%22:7%7D"})
    EXPECT_TRUE(get(wrong, 400).contains("error")) << wrong;
}

TEST_F(DeskRuns, HaveTheFiguresOfTheLibraryAndEverySpike) {
  add(10ms, 2'000, {.game = "Tidepool Rally"});
  const Summary summary = summarize(Store(folder / "runs.db").intervals(1));
  const Json view = get("/api/run?run=1");
  const Json& statistics = view.at("insight").at("statistics");
  EXPECT_EQ(statistics.at("average_fps").get<double>(), *summary.average_rate);
  EXPECT_EQ(statistics.at("longest_ms").get<double>(), 90);
  EXPECT_EQ(view.at("doubts").at(0).at("rule"), "short");
  EXPECT_EQ(view.at("doubts").at(0).at("advice"), advice_on(DoubtRule::too_short));
  const Json figures = get("/api/runs/figures?runs=1").at("runs").at(0).at("figures");
  EXPECT_EQ(figures.at(0).at("value").get<double>(), *summary.average_rate);

  const Json lines = get("/api/run/lines?run=1&columns=100&readings=gpu.load");
  const std::vector<double> times = lines.at("frames").at("y");
  EXPECT_LE(times.size(), 400U);
  EXPECT_EQ(*std::max_element(times.begin(), times.end()), 90) << "the spike is in the line";
  EXPECT_EQ(lines.at("readings").at(0).at("id"), "gpu.load");
  const std::vector<double> close =
      get("/api/run/lines?run=1&columns=100&from_ms=1000&to_ms=2000").at("frames").at("x");
  EXPECT_GE(close.front(), 1);
  EXPECT_LE(close.back(), 2.1);
  EXPECT_EQ(get("/api/run/details?run=1").at("hitches").at(0).at("worst_ms").get<double>(), 90);
  get("/api/run?run=7", 404);
  get("/api/run?run=x", 400);
  get("/api/run/lines?run=1&columns=1", 400);
}

TEST_F(DeskRuns, AreChangedRemovedAndBroughtBack) {
  add(10ms, 200, {.game = "Tidepool Rally", .tags = {"wet"}});
  post("/api/runs/change", {{"runs", {1}},
                            {"note", "a gull"},
                            {"tags", {"dusk"}},
                            {"tags_to_drop", {"wet"}},
                            {"settings", {"Preset=High"}}});
  const RunDetails changed = Store(folder / "runs.db").run(1).details;
  EXPECT_EQ(changed.note, "a gull");
  EXPECT_EQ(changed.tags, std::vector<std::string>{"dusk"});
  EXPECT_EQ(changed.settings.at("Preset"), "High");
  post("/api/runs/remove", {{"runs", {1}}});
  EXPECT_EQ(listed(""), std::vector<std::int64_t>());
  EXPECT_EQ(Store(folder / "runs.db").runs(Store::Facts::none, Store::Which::removed).size(), 1U);
  EXPECT_EQ(post("/api/runs/change", {{"runs", {1}}, {"note", "x"}}, 404).at("error").at("problem"),
            "run 1 was removed");
  post("/api/runs/restore", {{"runs", {1}}});
  EXPECT_EQ(listed(""), std::vector<std::int64_t>{1});
  for (const Json& wrong :
       {Json{{"runs", Json::array()}}, Json{{"runs", "1"}}, Json::object(), Json{{"runs", {1}}, {"settings", {"no"}}}})
    post("/api/runs/change", wrong, 400);
}

TEST_F(DeskRuns, AreComparedAndHandedOn) {
  for (int i = 0; i < 3; ++i)
    add(12ms + Nanoseconds(i * 20us), 400, {.game = "Tidepool Rally", .settings = {{"Preset", "Ultra"}}});
  for (int i = 0; i < 3; ++i) add(8ms + Nanoseconds(i * 20us), 400, {.game = "Tidepool Rally"});
  const Json by_setting = get("/api/compare?groups=1-6&by=Preset"), by_hand = get("/api/compare?groups=1-3;4-6");
  EXPECT_EQ(by_setting.at("comparison").at("figures").at(0).at("groups").at(1).at("mean"),
            by_hand.at("comparison").at("figures").at(0).at("groups").at(1).at("mean"));
  EXPECT_EQ(by_hand.at("offers"), Json({"Preset"})) << "also where some have none";
  EXPECT_NE(by_setting.at("sentences").at(0).get<std::string>().find("against Ultra: average frame rate +"),
            std::string::npos);
  const struct {
    const char* as;
    const char* begins;
  } files[] = {{"report", "<!"},       {"markdown", ""}, {"csv", "figure"},     {"frames", "run,"},
               {"readings", "run,at"}, {"results", ""},  {"runs", "{\"format"}, {"picture&kind=time", ""}};
  for (const auto& [as, begins] : files) {
    const auto answer = client.Get(std::string("/api/share?groups=1-3;4-6&as=") + as, {{"Cookie", cookie}});
    EXPECT_EQ(answer->status, 200) << as << answer->body.substr(0, 200);
    EXPECT_TRUE(answer->body.starts_with(begins)) << as << answer->body.substr(0, 60);
    EXPECT_NE(answer->get_header_value("Content-Disposition").find("attachment; filename=\""), std::string::npos);
  }
  for (const char* wrong :
       {"/api/compare?groups=", "/api/compare?groups=1-99999", "/api/share?groups=1&as=virus", "/api/share?as=csv"})
    get(wrong, 400);
}

TEST_F(DeskRuns, AreAddedFromFilesButNothingElseIs) {
  add(10ms, 200, {.game = "Tidepool Rally"});
  const std::vector<std::int64_t> first = {1};
  const std::string file = run_file(Store(folder / "runs.db"), first);
  EXPECT_EQ(ask("/api/runs/add?name=a.json", file).at("already"), 1);
  std::string other = file;
  other.replace(other.find("\"uuid\":\"") + 8, 8, "abcdabcd");
  EXPECT_EQ(ask("/api/runs/add?name=a.json", other).at("runs"), Json({2}));
  {
    Store apart(folder / "apart.db");
    (void)add_run_file(apart, other, "other");
  }
  EXPECT_EQ(ask("/api/runs/add?name=apart.db", testing::text_of(folder / "apart.db")).at("already"), 1);

  std::string log = "ms\n";
  for (int i = 0; i < 50; ++i) log += "16.5\n";
  const Json guess = ask("/api/runs/add?name=log.csv", log);
  EXPECT_FALSE(guess.contains("runs")) << "it is asked first";
  EXPECT_EQ(guess.at("log").at("runs").at(0).at("frames"), 50);
  EXPECT_EQ(ask("/api/runs/add?name=log.csv&sure=yes&game=Foreign", log).at("runs"), Json({3}));
  EXPECT_EQ(Store(folder / "runs.db").run(3).details.game, "Foreign");
  ask("/api/runs/add?name=log.csv&frame-time-unit=furlongs", log, 400);
  for (const std::string& junk : {std::string(), std::string("\0\1\2", 3), std::string("SQLite format 3\0junk", 20),
                                  file.substr(0, file.size() / 2)}) {
    const auto answer = client.Post("/api/runs/add?name=junk", {{"Cookie", cookie}, {"Origin", "http://" + host()}},
                                    junk, "application/octet-stream");
    EXPECT_GE(answer->status, 400);
    EXPECT_NE(answer->body.find("junk"), std::string::npos)
        << "the file's own name, not that of a copy: " << answer->body;
  }
  EXPECT_EQ(listed("").size(), 3U);
}

TEST_F(DeskRuns, LeadsOnceOnly) {
  EXPECT_EQ(get("/api/first-minute"), Json::parse(R"({"is_over":false,"has_face":true,"run":null})"));
  add(10ms, 200, {});
  EXPECT_EQ(get("/api/first-minute").at("run"), 1);
  EXPECT_EQ(post("/api/first-minute", Json::object()).at("is_over"), true);
}

TEST_F(DeskRuns, ChangesSettingsInTheFile) {
  folder.file("settings.toml", "# of Bramble\npace = \"1 s\"\n");
  const auto text = [this] { return testing::text_of(folder / "settings.toml"); };
  EXPECT_EQ(get("/api/settings").at("values").at("pace"), "1 s");
  post("/api/settings", {{"key", "keys.show"}, {"value", "Ctrl+F9"}});
  post("/api/settings", {{"key", "pace"}});
  EXPECT_EQ(text().find("pace"), std::string::npos);
  EXPECT_NE(text().find("Ctrl+F9"), std::string::npos);
  const std::string before = text();
  for (const Json& wrong : {Json{{"key", "pace"}, {"value", "1 fortnight"}}, Json{{"key", "peace"}, {"value", "1 s"}},
                            Json{{"value", "1 s"}}})
    EXPECT_TRUE(post("/api/settings", wrong, 400).contains("error")) << wrong;
  EXPECT_EQ(text(), before);

  EXPECT_EQ(get("/api/formula?formula=cpu.load*2&unit=%25").at("value"), "50 %");
  EXPECT_NE(get("/api/formula?formula=gpu.power*2").at("missing"), "");
  get("/api/formula?formula=cpu.load%20+", 400);
  post("/api/settings/formula", {{"id", "own.twice"}, {"formula", "cpu.load * 2"}, {"unit", "%"}});
  EXPECT_EQ(get("/api/settings").at("computed").at(0).at("formula"), "cpu.load * 2");
  post("/api/settings/formula", {{"id", "own.twice"}, {"formula", "1"}}, 400);
  post("/api/settings/formula", {{"id", "own.bad"}, {"formula", "1 +"}}, 400);
  post("/api/settings/remove", {{"id", "own.twice"}});
  post("/api/settings/remove", {{"id", "own.twice"}}, 404);
  EXPECT_EQ(text(), before + "\n");
  EXPECT_TRUE(post("/api/cue", {{"cue", "supper"}}, 400).contains("error"));
}

TEST_F(DeskRuns, OpensAlsoWithSettingsThatHaveAMistake) {
  folder.file("settings.toml", "pace = \"1 fortnight\"\n");
  Desk other({.settings = folder / "settings.toml",
              .faces = folder / "faces",
              .store = folder / "runs.db",
              .state = folder / "state",
              .values = std::make_unique<testing::TwoReadings>(),
              .grounds = {"day"},
              .draw_ground = [](const std::string&, int width, int height) { return Image(width, height); }});
  const auto page = client.Get("/face", {{"Cookie", cookie}});
  EXPECT_EQ(page->get_header_value("Content-Type"), "text/html; charset=utf-8");
  get("/api/first-view?face=&width=640&height=360", 400);
  EXPECT_EQ(get("/api/settings").at("findings").size(), 1U);
  EXPECT_EQ(post("/api/settings", {{"key", "pace"}, {"value", "1 s"}}).at("findings"), Json::array());
  EXPECT_EQ(get("/api/first-view?face=&width=640&height=360").at("face").at("name"), "mine");
}

}  // namespace
}  // namespace idlemeter
