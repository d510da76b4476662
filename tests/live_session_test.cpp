// A live session in this process: no display, no socket, no threads, and a clock that the test sets.
#include "meter/live_session.hpp"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <deque>

#include "folder.hpp"
#include "held_disk.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/draw/write_starter.hpp"
#include "idlemeter/face/starters.hpp"
#include "idlemeter/meter/command.hpp"
#include "idlemeter/meter/meter.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter::meter {
namespace {

using What = MeterCommand::What;
using Record = MeterCommand::Record;

/// A game that presents every 10 ms of the test's clock, and counts the pictures that it is given.
class Steady final : public Attachment {
 public:
  Steady(const Moment& now, int pid) : now_(now), next_(now), pid_(pid) {}

  [[nodiscard]] pid_t pid() const override { return pid_; }
  [[nodiscard]] std::string api() const override { return "Vulkan 1.3"; }
  std::uint32_t drain(std::vector<link::FrameEntry>& into) override {
    for (; next_ <= now_; next_ += 10 * kMillisecond) {
      link::FrameEntry frame;
      frame.present = next_;
      frame.drawable = 1;
      frame.width = 640;
      frame.height = 360;
      into.push_back(frame);
    }
    return 0;
  }
  [[nodiscard]] bool takes_pictures() const override { return true; }
  void publish(const Image&, int, int) override { ++pictures; }
  void show(bool visible) override { visible_ = visible; }
  void beat(Moment now) override { beat_ = now; }

  int pictures = 0;
  bool visible_ = false;
  Moment beat_{};

 private:
  const Moment& now_;
  Moment next_;
  int pid_;
};

class ALiveSession : public ::testing::Test {
 protected:
  ALiveSession() {
    for (const char* name : {"rate", "benchmark"})
      write_starter(*find_starter(name), folder_ / (std::string(name) + ".toml"));
    restart();
  }

  void restart() {
    MeterOptions options;
    options.store = folder_ / "runs.db";
    options.faces = {"rate", "benchmark"};
    options.face_of = [](const std::filesystem::path&) { return std::string("rate"); };
    options.file_of = [this](const std::string& name) { return folder_ / (name + ".toml"); };
    options.settings.recording = recording_;
    options.log = [this](const std::string& line) { log_ += line + "\n"; };
    session_.emplace(options, Surroundings{[this] { return now_; }, [this] { return Snapshot(now_, {}); },
                                           [this] { return machine_known_; },
                                           [this](int pid) { games_.push_back(pid); }, [this] { ++handed_over_; }});
  }

  Steady& add_game(int pid = 77) {
    auto game = std::make_unique<Steady>(now_, pid);
    Steady& kept = *game;
    last_ = session_->come(std::move(game));
    return kept;
  }

  void play(double seconds) {
    for (const Moment end = now_ + from_seconds(seconds); now_ < end;) {
      now_ += kTick * kMillisecond;
      session_->tick();
    }
  }

  /// The answer, once it is there. The clock stands meanwhile, so that the disk's thread has as long as it needs.
  MeterAnswer tell(const MeterCommand& command) {
    return answer_to(command, [this] {
      std::this_thread::sleep_for(std::chrono::milliseconds(1));
      session_->tick();
    });
  }

  /// The same, but the clock goes on.
  MeterAnswer tell_meanwhile(const MeterCommand& command) {
    return answer_to(command, [this] { play(0.001); });
  }

  MeterAnswer answer_to(const MeterCommand& command, const std::function<void()>& wait) {
    std::optional<MeterAnswer> answer;
    session_->obey(command, [&](const MeterAnswer& given) { answer = given; });
    for (int i = 0; i < 60'000 && !answer; ++i) wait();
    return answer.value_or(MeterAnswer{.error = "no answer"});
  }

  [[nodiscard]] MeterState state() { return *tell({.what = What::state}).state; }

  testing::Folder folder_;
  Moment now_{1'000 * kSecond};
  RecordingChoices recording_;
  bool machine_known_ = true;
  std::vector<int> games_;
  int handed_over_ = 0;
  std::string log_;
  std::optional<LiveSession> session_;
  Game* last_ = nullptr;
};

TEST_F(ALiveSession, DrawsAndBeatsForItsGames) {
  Steady& game = add_game();
  play(1);
  EXPECT_EQ(games_, std::vector<int>{77}) << "the machine's sources are told once";
  EXPECT_EQ(game.beat_, now_);
  EXPECT_TRUE(game.visible_);
  EXPECT_GE(game.pictures, 1);
  const MeterState now = state();
  ASSERT_EQ(now.games.size(), 1u);
  EXPECT_NEAR(now.games[0].average_fps.value_or(0), 100, 0.01);
  EXPECT_EQ(now.games[0].picture, "640x360");
  EXPECT_EQ(tell({.what = What::toggle}).visible, false);
  EXPECT_FALSE(game.visible_);
  const int pictures = game.pictures;
  play(1);
  EXPECT_EQ(game.pictures, pictures) << "nothing is drawn that isn't shown";
  EXPECT_EQ(tell({.what = What::show}).visible, true);
  session_->leave(*last_);
  ASSERT_EQ(session_->reports().size(), 1u);
  EXPECT_TRUE(session_->reports()[0].over);
}

TEST_F(ALiveSession, RecordsAsItIsPlanned) {
  add_game();
  play(0.5);
  EXPECT_EQ(tell({.what = What::record,
                  .record = Record::start,
                  .plan = {.after = from_seconds(1), .length = from_seconds(2)}})
                .error,
            "");
  EXPECT_EQ(state().recording->phase, RecordingState::Phase::planned);
  play(0.9);
  EXPECT_TRUE(session_->has_plan());
  play(0.2);
  EXPECT_FALSE(session_->has_plan());
  EXPECT_EQ(tell({.what = What::mark}).marks, 1);
  play(3);
  session_->end_recordings(std::chrono::seconds(30));
  EXPECT_TRUE(session_->recording_problems().empty());
  const Store store(folder_ / "runs.db", Store::Mode::existing);
  ASSERT_EQ(store.runs().size(), 1u);
  EXPECT_TRUE(store.runs()[0].finished);
  EXPECT_NEAR(static_cast<double>(store.runs()[0].frames), 200, 1);
  EXPECT_EQ(store.runs()[0].details.facts.at("Graphics API"), "Vulkan 1.3");
}

TEST_F(ALiveSession, RepeatsRunsWithPausesUntilThePlanIsDone) {
  Steady& game = add_game();
  play(0.5);
  RecordingPlan plan{.after = kSecond, .length = 2 * kSecond, .repeat = 3, .pause = kSecond};
  plan.notes = {{{"Preset", "High"}}, "a note", {"cool"}};
  EXPECT_EQ(tell({.what = What::record, .record = Record::start, .plan = plan}).error, "");
  std::vector<std::string> seen;
  const auto note = [&] {
    const auto recording = state().recording;
    seen.push_back(!recording
                       ? "done"
                       : fmt::format("{} {} of {}",
                                     recording->phase == RecordingState::Phase::planned ? "waits for" : "records",
                                     recording->number, recording->of));
  };
  const int pictures = game.pictures;
  for (const double seconds : {0.5, 1.5, 1.5, 1.5, 1.5, 1.5, 1.5}) {
    play(seconds);
    note();
  }
  EXPECT_EQ(seen, (std::vector<std::string>{"waits for 1 of 3", "records 1 of 3", "waits for 2 of 3", "records 2 of 3",
                                            "waits for 3 of 3", "records 3 of 3", "done"}));
  EXPECT_GT(game.pictures, pictures + 5) << "a line below the overlay counts down";
  session_->end_recordings(std::chrono::seconds(30));
  EXPECT_TRUE(session_->is_done_with_plan());
  ASSERT_EQ(session_->recorded().size(), 3u);
  const Store store(folder_ / "runs.db", Store::Mode::existing);
  for (const RecordedRun& one : session_->recorded()) {
    EXPECT_FALSE(one.is_short);
    ASSERT_EQ(one.problem, "");
    const RunInfo run = store.run(one.run);
    EXPECT_NEAR(static_cast<double>(run.frames), 200, 2);
    EXPECT_EQ(run.details.settings.at("Preset"), "High");
    EXPECT_EQ(run.details.note, "a note");
    EXPECT_EQ(run.details.tags, std::vector<std::string>{"cool"});
  }
}

TEST_F(ALiveSession, KeepsAShortRunAndAPlanCanBeCancelled) {
  add_game();
  play(0.5);
  const MeterCommand start{
      .what = What::record, .record = Record::start, .plan = {.length = 10 * kSecond, .repeat = 2}};
  EXPECT_EQ(tell(start).run, 1);
  play(1);
  session_->leave(*last_);
  EXPECT_TRUE(session_->has_plan()) << "the second run waits for a game";
  play(1);
  EXPECT_EQ(tell({.what = What::record, .record = Record::stop}).error, "");
  EXPECT_FALSE(session_->has_plan());
  session_->end_recordings(std::chrono::seconds(30));
  ASSERT_EQ(session_->recorded().size(), 1u);
  EXPECT_TRUE(session_->recorded()[0].is_short);
  EXPECT_TRUE(session_->is_done_with_plan());
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
  EXPECT_NE(results.find(",Driver=24.1,all,\"'=mine, \"\"quoted\"\"\",short; few-frames\r\n"), std::string::npos)
      << results;
}

TEST_F(ALiveSession, AResultsFileOfSomethingElseIsLeftAlone) {
  recording_.results = folder_.file("table.csv", "a,b\n1,2\n");
  restart();
  add_game();
  play(0.5);
  EXPECT_EQ(tell({.what = What::record}).run, 1);
  play(1);
  EXPECT_NE(tell({.what = What::record}).error.find("has other columns than results have"), std::string::npos);
  EXPECT_EQ(testing::text_of(folder_ / "table.csv"), "a,b\n1,2\n");
  EXPECT_TRUE(Store(folder_ / "runs.db", Store::Mode::existing).run(1).finished) << "the run itself is safe";
}

TEST_F(ALiveSession, AnswersOnceTheStoreHas) {
  add_game();
  play(0.5);
  EXPECT_EQ(tell({.what = What::record}).run, 1);
  play(1);
  const MeterAnswer stopped = tell({.what = What::record});
  EXPECT_EQ(stopped.run, 1);
  EXPECT_EQ(stopped.finished, true);
  play(0.1);
  EXPECT_NE(log_.find("run 1 is recorded"), std::string::npos) << log_;
}

TEST_F(ALiveSession, WaitsAMomentForTheMachinesNamesBeforeItRecords) {
  machine_known_ = false;
  restart();
  add_game();
  session_->plan({});
  play(0.2);
  EXPECT_TRUE(session_->has_plan());
  play(0.2);
  EXPECT_FALSE(session_->has_plan());
  session_->end_recordings(std::chrono::seconds(30));
  const Store store(folder_ / "runs.db", Store::Mode::existing);
  EXPECT_GE(store.runs().at(0).frames, 35u) << "with the frames from the plan on";
}

TEST_F(ALiveSession, LosesNothingWhileADiskOrAnotherProgramHoldsTheStore) {
  testing::HeldDisk disk;
  sqlite3* other = nullptr;
  ASSERT_EQ(sqlite3_open((folder_ / "runs.db").c_str(), &other), SQLITE_OK);
  const auto run = [&](const char* sql) { ASSERT_EQ(sqlite3_exec(other, sql, nullptr, nullptr, nullptr), SQLITE_OK); };
  const struct {
    const char* name;
    std::function<void()> hold, release;
  } holds[] = {{"a slow disk", [&] { disk.hold(); }, [&] { disk.release(); }},
               {"a lock", [&] { run("BEGIN IMMEDIATE"); }, [&] { run("ROLLBACK"); }}};
  Steady& game = add_game();
  play(0.5);
  (void)tell({.what = What::face, .face = "benchmark"});  // its traces change all the time
  int runs = 0;
  for (const auto& one : holds) {
    SCOPED_TRACE(one.name);
    one.hold();
    const Moment start = now_;
    EXPECT_EQ(tell_meanwhile({.what = What::record, .record = Record::start}).error, "");
    const int pictures = game.pictures;
    play(10);
    EXPECT_EQ(state().recording->phase, RecordingState::Phase::opening);
    EXPECT_TRUE(game.visible_);
    EXPECT_EQ(game.beat_, now_);
    EXPECT_GT(game.pictures, pictures + 50);
    one.release();
    const Moment end = now_;
    const MeterAnswer stopped = tell({.what = What::record, .record = Record::stop});
    EXPECT_EQ(stopped.run, ++runs);
    EXPECT_EQ(stopped.finished, true);
    const Store store(folder_ / "runs.db", Store::Mode::existing);
    EXPECT_NEAR(static_cast<double>(store.run(runs).frames), (end - start) / (10 * kMillisecond), 2);
  }
  EXPECT_GT(disk.waits(), 0);
  sqlite3_close(other);
}

TEST_F(ALiveSession, SaysWhatItCannotDo) {
  const std::pair<MeterCommand, std::string> cases[] = {
      {{.what = What::mark}, "nothing is being recorded"},
      {{.what = What::record, .record = Record::stop}, "nothing is being recorded"},
      {{.what = What::record, .plan = {.length = from_seconds(-1)}}, "up to a day"},
      {{.what = What::record, .record = Record::start, .plan = {.repeat = 2}}, "runs that are repeated need a length"},
      {{.what = What::face, .face = "none"}, "none.toml: cannot read the face"},
      {{.what = What::hand_over}, "no game is here"},
  };
  for (const auto& [command, says] : cases) {
    const MeterAnswer answer = tell(command);
    EXPECT_NE(answer.error.find(says), std::string::npos) << answer.error;
  }
  std::filesystem::create_directory(folder_ / "runs.db");
  add_game();
  play(0.5);
  EXPECT_NE(tell({.what = What::record}).error.find("is a folder"), std::string::npos);
  EXPECT_NE(state().recording_problem.find("is a folder"), std::string::npos);
  EXPECT_EQ(session_->recording_problems().size(), 1u);
  EXPECT_EQ(tell({.what = What::face}).face, "benchmark") << "and goes on";
  EXPECT_EQ(tell({.what = What::face}).face, "rate");
  EXPECT_EQ(tell({.what = What::hand_over}).error, "");
  EXPECT_EQ(handed_over_, 1);
}

}  // namespace
}  // namespace idlemeter::meter
