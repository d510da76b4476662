// Recordings of real programs on a real display, by plans. Run within xvfb-run.
#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>
#include <random>

#include "idlemeter/base/time.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"
#include "play_session.hpp"

namespace idlemeter {
namespace {

using namespace testing;

TEST(Play, RecordsWithoutHandsAndItsStatusSaysWhatBecameOfThePlan) {
  const Session session;
  const std::string still = std::string(kStill) + " --pause 5 --frames ";
  const struct {
    std::string options, game;
    int status;
    std::size_t runs;  // exactly; how many a game that ends by itself leaves depends on the machine
  } cases[] = {{"--after 0.3 --for 0.5 --repeat 3 --pause 0.2 --set preset=High --tag cool", still + "100000", 0, 3},
               {"--for 0.3", "sh -c 'trap \"\" TERM; " + still + "100000'", 0, 1},
               {"--for 1", "sleep 0.3", 4, 0},
               {"--for 0.4 --repeat 1000", still + "150", 3, 0}};
  std::size_t runs = 0;
  for (const auto& c : cases) {
    const Outcome outcome = session.play(c.game, "--store plans.db --end-game " + c.options);
    EXPECT_EQ(outcome.status, c.status) << c.options << outcome.text;
    const Store store(session.folder / "plans.db", Store::Mode::existing);
    if (c.runs > 0) {
      ASSERT_EQ(store.runs().size(), runs + c.runs) << c.options << outcome.text;
    }
    for (; runs < store.runs().size(); ++runs) {
      const RunInfo run = store.runs()[runs];
      EXPECT_LT(in_seconds(run.length), 0.7) << c.options;
      EXPECT_TRUE(run.finished);
      EXPECT_NE(outcome.text.find(fmt::format("\n{:>3} ", run.id)), std::string::npos) << outcome.text;
    }
  }
  const Store store(session.folder / "plans.db", Store::Mode::existing);
  EXPECT_GT(runs, 4u) << "what was recorded before the game ended is kept";
  EXPECT_EQ(store.run(1).details.settings.at("preset"), "High");
  EXPECT_EQ(store.run(3).details.tags, std::vector<std::string>{"cool"});
}

/// Two games with a meter each: one crashes in its first run, the other is interrupted in the pause after its first.
TEST(Play, RecordsTwoGamesAtOnceAndKeepsWhatWasRecorded) {
  const Session session;
  const std::string still = std::string(kStill) + " --pause 5 --frames 100000";
  const auto phase = [](const char* wanted, int number) {
    return [=](const json& state) {
      return state.contains("recording") && state["recording"].value("state", "") == wanted &&
             state["recording"].value("number", 0) == number;
    };
  };
  // A shell between meter and game, as launchers are: the game alone is killed.
  Playing crashes(session, "sh -c '" + still + "; true'", "--for 60 --repeat 3 --end-game --store all.db");
  const json first = session.wait_for(phase("recording", 1));
  std::this_thread::sleep_for(std::chrono::milliseconds(500));
  Playing interrupted(session, still, "--for 0.5 --repeat 2 --pause 60 --end-game --store all.db");
  ::kill(first["games"][0].value("pid", 0), SIGSEGV);
  EXPECT_EQ(WEXITSTATUS(crashes.wait()), 3) << "runs are missing";
  session.wait_for(phase("planned", 2));
  ::kill(interrupted.meter(), SIGINT);
  EXPECT_EQ(WEXITSTATUS(interrupted.wait()), 3);
  const Store store(session.folder / "all.db", Store::Mode::existing);
  std::vector<std::string_view> ends;
  for (const RunInfo& run : store.runs()) {
    EXPECT_TRUE(run.finished && run.frames > 0) << run.id;
    ends.push_back(run.end ? name_of(*run.end) : "none");
  }
  std::sort(ends.begin(), ends.end());
  EXPECT_EQ(ends, (std::vector<std::string_view>{"game crashed", "time"}));
}

/// The meter and the game by turns, at random moments of a recording. IDLEMETER_KILLS: how often.
TEST(Play, AKilledMeterOrGameLeavesAllButTheLastSecond) {
  const Session session;
  const char* chosen = std::getenv("IDLEMETER_KILLS");
  const int kills = chosen == nullptr ? 4 : std::atoi(chosen);
  std::mt19937 random(7);
  for (int kill = 0; kill < kills; ++kill) {
    Playing playing(session, std::string(kStill) + " --pause 5 --frames 100000", "--record --store killed.db");
    const json state = session.wait_for([](const json& one) { return one["recording"].value("run", 0) > 0; });
    const Moment since = monotonic_now();
    const pid_t game = state["games"][0].value("pid", 0);
    std::this_thread::sleep_for(std::chrono::milliseconds(random() % 1'500));
    const bool is_meter = kill % 2 == 0;
    const Nanoseconds recorded = monotonic_now() - since;  // at least
    ::kill(is_meter ? playing.meter() : game, SIGKILL);
    playing.wait();
    if (is_meter) ::kill(game, SIGKILL);
    const Store store(session.folder / "killed.db", Store::Mode::existing);
    ASSERT_EQ(store.runs().size(), static_cast<std::size_t>(kill) + 1);
    const RunInfo run = store.runs().back();
    EXPECT_EQ(run.end, is_meter ? std::nullopt : std::optional(RunEnd::game_crashed)) << kill;
    EXPECT_GT(run.length, recorded - 3 * kSecond / 2) << kill << ": half a second more, for a busy machine";
    EXPECT_EQ(store.frames(run.id).size(), run.frames);
  }
}

TEST(Play, AProgramCanBenchmarkSettings) {
  const Session session;
  const Outcome outcome =
      session.run("'" BENCHMARK "' b.db 0.3 pause=5 pause=9 -- " + std::string(kStill) + " --frames 10000 --pause {}");
  EXPECT_EQ(outcome.status, 0) << outcome.text;
  for (const char* line :
       {"pause=5      run 1 in b.db: average ", "pause=5      run 3 in b.db: ", "pause=9      run 6 in b.db: average "})
    EXPECT_NE(outcome.text.find(line), std::string::npos) << outcome.text;
}

TEST(Play, RecordsFromTheStartForASetTime) {
  const Session session;
  const Outcome outcome =
      session.play(std::string(kStill) + " --pause 5 --frames 400", "--record --for 1 --store mine.db");
  EXPECT_EQ(outcome.status, 0) << outcome.text;
  const Store store(session.folder / "mine.db", Store::Mode::existing);
  ASSERT_EQ(store.runs().size(), 1u);
  EXPECT_TRUE(store.runs()[0].finished);
  EXPECT_NEAR(in_seconds(store.runs()[0].length), 1, 0.3);
  session.folder.file("no_folder", "");
  const Outcome unwritten =
      session.play(std::string(kStill) + " --pause 5 --frames 200", "--record --store no_folder/x.db");
  EXPECT_EQ(unwritten.status, 1) << "the game played on, but nothing was recorded";
  EXPECT_NE(unwritten.text.find(": 200 frames"), std::string::npos) << unwritten.text;
  EXPECT_NE(unwritten.text.find("not recorded: no_folder: cannot make the folder"), std::string::npos)
      << unwritten.text;
  EXPECT_EQ(
      session.play("sh -c '" + std::string(kStill) + " --frames 50; exit 7'", "--record --store no_folder/x.db").status,
      7);
  for (std::int64_t run = 2; run < 10; ++run) {  // over before the recording has begun, or just as it does
    EXPECT_EQ(
        session.play(std::string(run % 2 == 0 ? kStill : kStillVulkan) + " --frames 40", "--record --store mine.db")
            .status,
        0);
    EXPECT_EQ(store.run(run).frames, 39u) << "every interval, the first and the last too";
  }
}

}  // namespace
}  // namespace idlemeter
