// A live session in this process: no display, no socket, no threads, and a clock that the test sets.
#include "meter/session/live_session.hpp"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <deque>

#include "a_live_session.hpp"
#include "folder.hpp"
#include "held_disk.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/meter/command.hpp"
#include "idlemeter/meter/meter.hpp"
#include "idlemeter/meter/watch.hpp"
#include "idlemeter/runs/store.hpp"
#include "meter/session/watchers.hpp"

namespace idlemeter::meter {
namespace {

using What = MeterCommand::What;
using Record = MeterCommand::Record;

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
  const FrameHistogram& times = now.games[0].frame_times;
  EXPECT_NEAR(static_cast<double>(times.count()) / in_seconds(times.sum()), 100, 0.01);
  EXPECT_EQ(tell({.what = What::toggle}).visible, false);
  EXPECT_FALSE(game.visible_);
  const int pictures = game.pictures;
  play(1);
  EXPECT_EQ(game.pictures, pictures) << "nothing is drawn that isn't shown";
  EXPECT_EQ(tell({.what = What::show}).visible, true);
  session_->remove_game(*last_);
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
    seen.push_back(!recording || recording->phase == RecordingState::Phase::ending
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
  session_->remove_game(*last_);
  EXPECT_TRUE(session_->has_plan()) << "the second run waits for a game";
  play(1);
  EXPECT_EQ(tell({.what = What::record, .record = Record::stop}).error, "");
  EXPECT_FALSE(session_->has_plan());
  session_->end_recordings(std::chrono::seconds(30));
  ASSERT_EQ(session_->recorded().size(), 1u);
  EXPECT_TRUE(session_->recorded()[0].is_short);
  EXPECT_TRUE(session_->is_done_with_plan());
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
  EXPECT_FALSE(state().recording);
}

TEST_F(ALiveSession, ARecordingIsSeenUntilItsEndIsInTheStore) {
  add_game();
  play(0.5);
  EXPECT_EQ(tell({.what = What::record}).run, 1);
  sqlite3* other = nullptr;
  ASSERT_EQ(sqlite3_open((folder_ / "runs.db").c_str(), &other), SQLITE_OK);
  sqlite3_busy_timeout(other, 10'000);
  ASSERT_EQ(sqlite3_exec(other, "BEGIN IMMEDIATE", nullptr, nullptr, nullptr), SQLITE_OK);
  EXPECT_EQ(tell_meanwhile({.what = What::record}).finished, false);
  ASSERT_TRUE(state().recording);
  EXPECT_EQ(state().recording->phase, RecordingState::Phase::ending);
  EXPECT_EQ(state().recording->run, 1);
  sqlite3_close(other);
  session_->end_recordings(std::chrono::seconds(30));
  EXPECT_FALSE(state().recording);
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
  using enum Error::Code;
  const struct {
    MeterCommand command;
    std::string says;
    Error::Code code;
  } cases[] = {
      {{.what = What::mark}, "nothing is being recorded", refused},
      {{.what = What::record, .record = Record::stop}, "nothing is being recorded", refused},
      {{.what = What::record, .plan = {.length = from_seconds(-1)}}, "0.1 s to a day", invalid},
      {{.what = What::record, .record = Record::start, .plan = {.repeat = 2}},
       "runs that are repeated need a length",
       invalid},
      {{.what = What::face, .face = "none"}, "none.toml: cannot read the face", unreadable},
      {{.what = What::hand_over}, "no game is connected", not_found},
  };
  for (const auto& [command, says, code] : cases) {
    const MeterAnswer answer = tell(command);
    EXPECT_NE(answer.error.find(says), std::string::npos) << answer.error;
    EXPECT_EQ(name_of(answer_from_json(to_json(answer)).code), name_of(code)) << says;
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

/// A watcher that reads when the test lets it.
class Slow final : public UpdateSink {
 public:
  struct Seen {
    Reader reader = Reader::ready;
    std::vector<MeterUpdate> updates;
  };
  explicit Slow(std::shared_ptr<Seen> seen) : seen_(std::move(seen)) {}
  Reader reader() override { return seen_->reader; }
  void send(const MeterUpdate& update) override { seen_->updates.push_back(update_from_json(to_json(update))); }

 private:
  std::shared_ptr<Seen> seen_;
};

TEST_F(ALiveSession, SendsUpdatesAtThePaceOfWhoWatches) {
  add_game();
  const auto watch = [this](const WatchRequest& request) {
    auto seen = std::make_shared<Slow::Seen>();
    session_->watch(request, std::make_unique<Slow>(seen));
    return seen;
  };
  const auto plain = watch({.every = kSecond});
  const auto all = watch({.every = kSecond / 20, .frames = true, .readings = {"frame.rate", "game.name", "no.such"}});
  play(2.02);
  EXPECT_EQ(plain->updates.size(), 3u) << "at once, and each second";
  EXPECT_TRUE(plain->updates.back().games[0].frames.empty());
  EXPECT_NEAR(plain->updates.back().state.games[0].average_fps.value_or(0), 100, 0.1);
  EXPECT_NEAR(static_cast<double>(all->updates.size()), 40, 2);
  std::vector<FrameRecord> frames;
  for (const MeterUpdate& update : all->updates)
    frames.insert(frames.end(), update.games.at(0).frames.begin(), update.games[0].frames.end());
  ASSERT_GT(frames.size(), 195u);
  for (std::size_t i = 1; i < frames.size(); ++i) ASSERT_EQ(frames[i].at - frames[i - 1].at, 10 * kMillisecond) << i;
  const auto& values = all->updates.back().games[0].values;
  EXPECT_NEAR(number(values.at("frame.rate")).value_or(0), 100, 0.1);
  EXPECT_TRUE(std::holds_alternative<std::string>(values.at("game.name")));
  EXPECT_FALSE(values.contains("no.such"));
}

TEST_F(ALiveSession, KeepsFramesForASlowWatcherAndForgetsOneThatIsGone) {
  add_game();
  auto seen = std::make_shared<Slow::Seen>();
  session_->watch({.every = kSecond / 10, .frames = true}, std::make_unique<Slow>(seen));
  play(0.1);
  const std::size_t before = seen->updates.size();
  seen->reader = UpdateSink::Reader::busy;
  play(200);
  EXPECT_EQ(seen->updates.size(), before) << "nothing is sent to who doesn't read";
  seen->reader = UpdateSink::Reader::ready;
  play(0.03);
  ASSERT_EQ(seen->updates.size(), before + 1);
  const MeterUpdate::Game& game = seen->updates.back().games.at(0);
  EXPECT_EQ(game.frames.size(), limits::kWatchedFrames);
  EXPECT_NEAR(static_cast<double>(game.frames_skipped + game.frames.size()), 20'000, 20);
  session_->remove_game(*last_);
  play(0.1);
  EXPECT_TRUE(seen->updates.back().games.empty());
  std::vector<std::shared_ptr<Slow::Seen>> others(limits::kWatchers - 1, seen);
  for (const auto& one : others) session_->watch({}, std::make_unique<Slow>(one));
  EXPECT_THROW(session_->watch({}, std::make_unique<Slow>(seen)), Error);
  seen->reader = UpdateSink::Reader::gone;
  play(0.03);
  session_->watch({}, std::make_unique<Slow>(seen));
}

}  // namespace
}  // namespace idlemeter::meter
