// What a live session's recordings keep, and how they end.
#include <fcntl.h>
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <sstream>

#include "a_live_session.hpp"
#include "folder.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/meter/command.hpp"
#include "idlemeter/meter/meter_words.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter::meter {
namespace {

using What = MeterCommand::What;
using Record = MeterCommand::Record;

/// Each way for a recording to end, with frames that were lost in one of them.
TEST_F(ALiveSession, KeepsHowARunEnded) {
  for (const bool closes : {true, false}) {
    Steady& game = add_game();
    play(0.5);
    EXPECT_EQ(tell({.what = What::record, .plan = {.length = 10 * kSecond}}).error, "");
    game.closes = closes;
    game.losing = closes ? 0 : 3;
    play(1);
    session_->remove_game(*last_);
  }
  add_game();
  play(0.5);
  EXPECT_EQ(tell({.what = What::record, .plan = {.length = kSecond}}).error, "");
  play(2);
  EXPECT_EQ(tell({.what = What::record}).error, "");
  play(1);
  EXPECT_EQ(tell({.what = What::record}).finished, true);
  session_->end_recordings(std::chrono::seconds(30));
  const Store store(folder_ / "runs.db", Store::Mode::existing);
  using enum RunEnd;
  const std::pair<RunEnd, std::uint64_t> kEnds[] = {{game_ended, 0}, {game_crashed, 3}, {time, 0}, {asked, 0}};
  ASSERT_EQ(session_->recorded().size(), std::size(kEnds));
  for (std::size_t i = 0; i < std::size(kEnds); ++i) {
    const RunInfo run = store.run(static_cast<std::int64_t>(i) + 1);
    EXPECT_EQ(run.end, kEnds[i].first) << i;
    EXPECT_EQ(run.lost, kEnds[i].second) << i;
    EXPECT_EQ(session_->recorded()[i].end, kEnds[i].first) << i;
    EXPECT_EQ(session_->recorded()[i].is_short, i < 2) << i;
  }
  EXPECT_EQ(cues_, (std::vector<std::string>{"recording", "recording ended", "recording", "recording ended",
                                             "recording", "recording ended", "recording", "recording ended"}));
}

TEST_F(ALiveSession, KeepsWhatIsKnownOfTheGameAndTheMachine) {
  const char* const words[] = {"sh", "-c", "read x; : it\\'s", nullptr};
  int pipe[2] = {};
  ASSERT_EQ(::pipe2(pipe, O_CLOEXEC), 0);
  const pid_t game = ::vfork();
  if (game == 0) {
    ::dup2(pipe[0], 0);
    ::execvp(words[0], const_cast<char**>(words));
    ::_exit(127);
  }
  const std::string executable = std::filesystem::read_symlink(fmt::format("/proc/{}/exe", game));
  add_game(game);
  play(0.5);
  EXPECT_EQ(tell({.what = What::record}).run, 1);
  play(1);
  session_->end_recordings(std::chrono::seconds(30));
  const auto facts = Store(folder_ / "runs.db", Store::Mode::existing).run(1).details.facts;
  EXPECT_EQ(facts.at("Executable"), executable);
  std::string hash;
  std::getline(std::istringstream(output_of("sha256sum " + executable)), hash, ' ');
  EXPECT_EQ(facts.at("SHA-256"), hash);
  EXPECT_EQ(facts.at("Arguments"), R"(-c 'read x; : it\'\''s')");
  EXPECT_EQ(facts.at("Graphics driver"), "Marl 24.1");
  EXPECT_EQ(facts.at("Face"), "rate");
  EXPECT_EQ(facts.at("Picture"), "640x360");
  EXPECT_FALSE(facts.at("Idle Meter").empty());
  ::close(pipe[0]);
  ::close(pipe[1]);
  ::waitpid(game, nullptr, 0);
}

TEST_F(ALiveSession, TakesNotesWhileItRecords) {
  const MeterCommand notes{.what = What::note,
                           .plan = {.notes = {{{"Preset", "Ultra"}, {"Shadows", "off"}}, "tide came in", {"late"}}}};
  EXPECT_NE(tell(notes).error.find("nothing is being recorded or planned"), std::string::npos);
  add_game();
  play(0.5);
  const RunNotes first{{{"Preset", "High"}}, "calm", {"cool"}};
  EXPECT_EQ(
      tell({.what = What::record, .plan = {.length = kSecond, .repeat = 2, .pause = kSecond, .notes = first}}).error,
      "");
  play(0.5);
  EXPECT_EQ(tell(notes).run, 1);
  play(4);
  session_->end_recordings(std::chrono::seconds(30));
  const Store store(folder_ / "runs.db", Store::Mode::existing);
  ASSERT_EQ(store.runs().size(), 2u);
  for (const RunInfo& run : store.runs()) {
    EXPECT_EQ(run.details.note, "calm\ntide came in") << "the later runs of the plan have them too";
    EXPECT_EQ(run.details.tags, (std::vector<std::string>{"cool", "late"}));
    EXPECT_EQ(run.details.settings, (std::map<std::string, std::string>{{"Preset", "Ultra"}, {"Shadows", "off"}}));
  }
}

TEST_F(ALiveSession, FollowsTheSettingsOfEveryRecording) {
  recording_ = {.hides_overlay = true,
                .settings = {{"Driver", "24.1"}},
                .tags = {"all"},
                .note = "usual",
                .results = folder_ / "out/results.csv"};
  restart();
  Steady& game = add_game();
  play(0.5);
  EXPECT_TRUE(game.visible_);
  EXPECT_EQ(tell({.what = What::record, .plan = {.notes = {.note = "=mine, \"quoted\""}}}).run, 1);
  play(1);
  EXPECT_FALSE(game.visible_) << "hidden while it is in progress";
  EXPECT_EQ(tell({.what = What::mark, .mark = "boss fight"}).marks, 1);
  play(1);
  EXPECT_EQ(tell({.what = What::record}).run, 1);
  play(0.1);
  EXPECT_TRUE(game.visible_);
  session_->end_recordings(std::chrono::seconds(30));
  const Store store(folder_ / "runs.db", Store::Mode::existing);
  const RunDetails details = store.run(1).details;
  EXPECT_EQ(details.settings.at("Driver"), "24.1");
  EXPECT_EQ(details.tags, std::vector<std::string>{"all"});
  EXPECT_EQ(details.note, "=mine, \"quoted\"");
  const auto series = store.series(1);
  const auto mark =
      std::find_if(series.begin(), series.end(), [](const RunSeries& one) { return one.info.id == "recording.mark"; });
  ASSERT_NE(mark, series.end());
  EXPECT_EQ(mark->values.back(), Value("1: boss fight"));
  const std::string results = testing::text_of(folder_ / "out/results.csv");
  EXPECT_EQ(results.find("\xef\xbb\xbfrun,game,started (UTC),length (s),"), 0u) << results;
  EXPECT_NE(results.find("\r\n1,"), std::string::npos) << results;
  EXPECT_NE(results.find(",Driver=24.1,all,\"'=mine, \"\"quoted\"\"\",\"short; few-frames\"\r\n"), std::string::npos)
      << results;
}

/// The unit of a reading is known once a run has it.
TEST_F(ALiveSession, AppendsChosenFiguresToTheResults) {
  recording_.results = folder_.file("r.csv",
                                    "run,game,started (UTC),length (s),frames,frame.average (FPS),stutter.count,"
                                    "gpu.power (W),settings,tags,note,doubts\r\n");
  recording_.figures = "mine";
  figures_ = {{"mine", {"frame.average", "stutter.count", "gpu.power"}}};
  restart();
  add_game();
  play(0.5);
  EXPECT_EQ(tell({.what = What::record}).run, 1);
  play(1);
  EXPECT_EQ(tell({.what = What::record}).error, "");
  const std::string results = testing::text_of(folder_ / "r.csv");
  EXPECT_NE(results.find(",100.000,0,,,,,short"), std::string::npos) << results;
}

TEST_F(ALiveSession, AResultsFileOfSomethingElseIsLeftAlone) {
  recording_.results = folder_.file("table.csv", "a,b\n1,2\n");
  restart();
  add_game();
  play(0.5);
  EXPECT_EQ(tell({.what = What::record}).run, 1);
  play(1);
  EXPECT_NE(tell({.what = What::record}).error.find("has other columns than these results"), std::string::npos);
  EXPECT_EQ(testing::text_of(folder_ / "table.csv"), "a,b\n1,2\n");
  EXPECT_TRUE(Store(folder_ / "runs.db", Store::Mode::existing).run(1).finished) << "the run itself is safe";
}

/// The game of the fixture presents every 10 ms, on the whole hundredths of its clock.
TEST_F(ALiveSession, ARecordingHasWholeFramesFromTheTimeThatWasAskedFor) {
  session_->plan({.after = 2 * kSecond, .length = 3 * kSecond});
  play(5);  // a slow loader: nothing is presented yet
  add_game();
  play(1.5);
  EXPECT_EQ(state().recording->phase, RecordingState::Phase::planned) << "it counts from the first frame";
  play(4);
  session_->end_recordings(std::chrono::seconds(30));
  const Store store(folder_ / "runs.db", Store::Mode::existing);
  const auto frames = store.frames(1);
  EXPECT_EQ(frames.size(), 300u);
  EXPECT_EQ(store.run(1).length, 3 * kSecond);
  EXPECT_EQ(frames.front().at, Moment{10 * kMillisecond}) << "its first frame begins with it";
}

TEST_F(ALiveSession, SaysThatNoFrameIsSeen) {
  session_->plan({.length = kSecond});
  play(14);
  EXPECT_EQ(state().recording->waits_for, "the first frame");
  EXPECT_EQ(silences_, 0);
  play(30);
  EXPECT_EQ(state().recording->waits_for, "the first frame, which hasn't been seen for over 15 s");
  EXPECT_NE(state_words(state()).find("waits to record for the first frame, which hasn't"), std::string::npos);
  EXPECT_EQ(silences_, 1) << "once";
  add_game();
  play(2);
  session_->end_recordings(std::chrono::seconds(30));
  EXPECT_EQ(Store(folder_ / "runs.db", Store::Mode::existing).runs().size(), 1u) << "it still waits";
}

TEST_F(ALiveSession, AMarkBeginsARecordingThatWaitsForIt) {
  add_game();
  play(1);
  EXPECT_EQ(tell({.what = What::record, .plan = {.at_mark = true, .length = kSecond}}).error, "");
  play(3);
  EXPECT_EQ(state().recording->waits_for, "a mark");
  EXPECT_EQ(tell({.what = What::mark}).error, "");
  play(2);
  session_->end_recordings(std::chrono::seconds(30));
  EXPECT_NEAR(in_seconds(Store(folder_ / "runs.db", Store::Mode::existing).run(1).length), 1, 0.011);
}

TEST_F(ALiveSession, NotesHaveALimit) {
  add_game();
  play(0.5);
  EXPECT_EQ(tell({.what = What::record}).run, 1);
  const MeterCommand flood{.what = What::note, .plan = {.notes = {.note = std::string(60'000, 'n')}}};
  EXPECT_EQ(tell(flood).error, "");
  for (int i = 0; i < 100; ++i) EXPECT_NE(tell(flood).error.find("limited to 64 KiB together"), std::string::npos);
  play(1);
  session_->end_recordings(std::chrono::seconds(30));
  EXPECT_EQ(Store(folder_ / "runs.db", Store::Mode::existing).run(1).details.note.size(), 60'000u);
}

TEST_F(ALiveSession, AResultsFileThatCannotBeWrittenCostsTheRunNothing) {
  const std::string before = "run,game\r\nhalf a line";
  const auto pipe = folder_ / "pipe.csv", locked = folder_.file("locked.csv", "");
  ASSERT_EQ(::mkfifo(pipe.c_str(), 0600), 0);
  const int held = ::open(locked.c_str(), O_RDONLY | O_CLOEXEC);
  ASSERT_EQ(::flock(held, LOCK_EX), 0);
  const std::pair<std::filesystem::path, const char*> cases[] = {{pipe, "is not a regular file"},
                                                                 {"/dev/zero", "is not a regular file"},
                                                                 {locked, "has the results file locked"},
                                                                 {"/dev/full", "is not a regular file"}};
  std::int64_t run = 0;
  for (const auto& [file, problem] : cases) {
    recording_.results = file;
    restart();
    add_game();
    play(0.5);
    EXPECT_EQ(tell({.what = What::record}).run, ++run);
    play(1);
    const std::string error = tell({.what = What::record}).error;
    EXPECT_NE(error.find(problem), std::string::npos) << file << ": " << error;
    EXPECT_NE(error.find("is recorded, but not its results"), std::string::npos) << error;
    const RunInfo info = Store(folder_ / "runs.db", Store::Mode::existing).run(run);
    EXPECT_TRUE(info.finished);
    EXPECT_EQ(info.end, RunEnd::asked) << file;
  }
  ::close(held);
}

TEST_F(ALiveSession, AGameThatWasEndedDidNotCrash) {
  for (const bool asked : {false, true}) {
    restart([asked] { return asked; });
    add_game().closes = false;
    play(0.5);
    const auto run = tell({.what = What::record}).run;
    play(1);
    session_->remove_game(*last_);
    session_->end_recordings(std::chrono::seconds(30));
    EXPECT_EQ(Store(folder_ / "runs.db", Store::Mode::existing).run(*run).end,
              asked ? RunEnd::game_ended : RunEnd::game_crashed);
  }
}

}  // namespace
}  // namespace idlemeter::meter
