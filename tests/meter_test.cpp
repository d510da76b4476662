// Parts of the meter by themselves: which window counts, faces that are saved, and a game that only presents.
#include <gtest/gtest.h>

#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/meter/command.hpp"
#include "idlemeter/meter/running_meters.hpp"
#include "idlemeter/readings/computed_readings.hpp"
#include "idlemeter/readings/live_readings.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "meter/entrance/links.hpp"
#include "meter/session/draw_pace.hpp"
#include "meter/session/game.hpp"

namespace idlemeter::meter {
namespace {

/// Presents as "window@milliseconds", and the interval that counts for each, in milliseconds; -1: none.
struct Windows {
  const char* name;
  std::vector<std::pair<std::uint32_t, int>> presents;
  std::vector<int> intervals;
};

const Windows kWindows[] = {
    {"one", {{1, 0}, {1, 10}, {1, 25}}, {-1, 10, 15}},
    {"another that comes once is skipped", {{1, 0}, {1, 10}, {2, 12}, {1, 20}, {1, 30}}, {-1, 10, -1, 10, 10}},
    {"two at once: the first counts", {{1, 0}, {2, 1}, {1, 10}, {2, 11}, {1, 20}, {2, 21}}, {-1, -1, 10, -1, 10, -1}},
    {"a new one instead of the old", {{1, 0}, {1, 10}, {2, 50}, {2, 60}, {2, 70}}, {-1, 10, -1, 10, 10}},
    {"back again", {{1, 0}, {1, 10}, {2, 20}, {2, 30}, {1, 40}, {1, 50}}, {-1, 10, -1, 10, -1, 10}},
    {"a number of zero is a window too", {{0, 5}, {0, 15}}, {-1, 10}},
};

TEST(WindowChoice, CountsTheIntervalsOfTheWindowThatPresents) {
  for (const Windows& c : kWindows) {
    WindowChoice choice;
    std::vector<int> intervals;
    for (const auto& [window, at] : c.presents) {
      link::FrameEntry frame;
      frame.drawable = window;
      frame.present = Moment{(1'000 + at) * kMillisecond};
      const auto interval = choice.interval(frame);
      intervals.push_back(interval ? static_cast<int>(*interval / kMillisecond) : -1);
    }
    EXPECT_EQ(intervals, c.intervals) << c.name;
  }
}

constexpr const char* kRate = "[[row]]\ncells = [ { reading = \"frame.rate\" } ]\n";
constexpr const char* kTime = "# other\n[[row]]\ncells = [ { reading = \"frame.time\" } ]\n";

TEST(WatchedFace, KeepsTheLastGoodFace) {
  const testing::Folder folder;
  const auto file = folder.file("a.toml", kRate);
  WatchedFace face(file);
  EXPECT_EQ(face.mistake(), "");
  EXPECT_FALSE(face.look()) << "nothing was saved";
  folder.file("a.toml", std::string(kRate) + "rwo = 1\n");
  EXPECT_TRUE(face.look());
  EXPECT_NE(face.mistake().find("a.toml:3:1: error: "), std::string::npos) << face.mistake();
  EXPECT_EQ(readings_of(face.face()), std::vector<std::string>{"frame.rate"});
  std::filesystem::remove(file);
  EXPECT_FALSE(face.look()) << "an editor puts another file in its place";
  folder.file("a.toml", kTime);
  EXPECT_TRUE(face.look());
  EXPECT_EQ(face.mistake(), "");
  EXPECT_EQ(readings_of(face.face()), std::vector<std::string>{"frame.time"});
  EXPECT_NE(WatchedFace(folder / "none.toml").mistake().find("none.toml: cannot read the face"), std::string::npos);
}

/// A game of this process, over a link that is never greeted.
TEST(AGame, ComputesItsOwnReadings) {
  const testing::Folder folder;
  std::vector<ComputedReading> computed(1);
  computed[0].info.id = "own.frames";
  computed[0].formula = "frame.count * 2";
  Game game(std::make_unique<LinkAttachment>(link::MeterEnd(-1)), WatchedFace(folder.file("a.toml", kRate)), computed);
  EXPECT_EQ(game.presents(), 0u);
  EXPECT_TRUE(game.drain(Moment{kSecond}).empty());
  game.update({}, Moment{kSecond}, LiveReadings::Past::keep);
  EXPECT_EQ(number(*game.live().values().find("own.frames").value), 0);
  EXPECT_FALSE(game.has_traces());
  game.set_face(
      WatchedFace(folder.file("b.toml", "[[row]]\ncells = [ { reading = \"frame.time\", as = \"trace\" } ]\n")));
  EXPECT_TRUE(game.has_traces());
}

/// Presents what a test hands it.
class Handed final : public Attachment {
 public:
  explicit Handed(std::vector<link::FrameEntry>& frames) : frames_(frames) {}
  [[nodiscard]] pid_t pid() const override { return 0; }
  std::uint32_t drain(std::vector<link::FrameEntry>& into) override {
    into.insert(into.end(), frames_.begin(), frames_.end());
    frames_.clear();
    return std::exchange(lost, 0);
  }
  [[nodiscard]] bool takes_pictures() const override { return false; }
  void publish(const Image&, int, int) override {}
  void show(bool) override {}
  void beat(Moment) override {}

  std::uint32_t lost = 0;

 private:
  std::vector<link::FrameEntry>& frames_;
};

link::FrameEntry presented(Moment at) {
  link::FrameEntry frame;
  frame.present = at;
  return frame;
}

TEST(AGame, TakesNoMoreFramesThanItsBudget) {
  const testing::Folder folder;
  std::vector<link::FrameEntry> frames;
  Game game(std::make_unique<Handed>(frames), WatchedFace(folder.file("a.toml", kRate)), {});
  constexpr std::size_t kRing = link::kRingCapacity, kMost = limits::kFramesPerSecond;
  const std::pair<std::size_t, std::size_t> seconds[] = {{kRing, kRing},      // what was saved up before
                                                         {2 * kMost, kMost},  // and from then on so many a second
                                                         {kMost, kMost},
                                                         {0, 0},
                                                         {3 * kMost, 2 * kMost}};
  Moment now{kSecond};
  for (const auto& [came, taken] : seconds) {
    const std::uint64_t presents = game.presents(), lost = game.lost();
    for (std::size_t i = 0; i < came; ++i) frames.push_back(presented(now + Nanoseconds(i)));
    (void)game.drain(now);
    EXPECT_EQ(game.presents() - presents, taken);
    EXPECT_EQ(game.lost() - lost, came - taken);
    now += kSecond;
  }
}

TEST(AGame, LeavesOutIntervalsOverLostFramesAndPauses) {
  const testing::Folder folder;
  std::vector<link::FrameEntry> frames;
  auto handed = std::make_unique<Handed>(frames);
  Handed& attachment = *handed;
  Game game(std::move(handed), WatchedFace(folder.file("a.toml", kRate)), {});
  const auto intervals = [&](Nanoseconds begin, bool after_pause) {
    const Moment first{begin};
    for (int i = 0; i < 3; ++i) frames.push_back(presented(first + i * 10 * kMillisecond));
    frames[0].after_pause = after_pause ? 1 : 0;
    std::vector<int> all;
    for (const FrameRecord& frame : game.drain(first + kSecond))
      all.push_back(static_cast<int>(frame.interval / kMillisecond));
    return all;
  };
  EXPECT_EQ(intervals(1 * kSecond, true), (std::vector<int>{10, 10}));
  EXPECT_EQ(intervals(2 * kSecond, false), (std::vector<int>{980, 10, 10}));
  EXPECT_EQ(intervals(3 * kSecond, true), (std::vector<int>{10, 10})) << "a window that was minimised";
  attachment.lost = 5;
  EXPECT_EQ(intervals(4 * kSecond, false), (std::vector<int>{10, 10})) << "overwritten before they were read";
}

TEST(DrawPace, RestsFourTimesAsLongAsDrawingTook) {
  DrawPace pace;
  const auto at = [](int ms) { return Moment{ms * kMillisecond}; };
  EXPECT_TRUE(pace.is_due(at(0)));
  pace.drew(at(0), at(5));
  EXPECT_TRUE(pace.is_due(at(5))) << "a short one needs no rest";
  pace.drew(at(10), at(68));
  EXPECT_FALSE(pace.is_due(at(267)));
  EXPECT_TRUE(pace.is_due(at(268)));
}

TEST(MeterCommand, SurvivesARoundTripThroughJson) {
  using What = MeterCommand::What;
  const std::pair<MeterCommand, const char*> cases[] = {
      {{.what = What::toggle}, R"({"do":"toggle"})"},
      {{.what = What::hand_over}, R"({"do":"hand over"})"},
      {{.what = What::face, .face = "strip"}, R"({"do":"face","name":"strip"})"},
      {{.what = What::record,
        .record = MeterCommand::Record::start,
        .plan = {.after = from_seconds(2.5), .length = from_seconds(60)}},
       R"({"after":2.5,"do":"record","for":60.0,"what":"start"})"},
  };
  for (const auto& [command, json] : cases) {
    EXPECT_EQ(to_json(command), json);
    EXPECT_EQ(to_json(command_from_json(json)), json);
  }
  for (const char* wrong : {"", "[]", "7", R"({"do": 7})", R"({"do": "dance"})", R"({"do": "face", "name": 5})",
                            R"({"do": "record", "what": "sideways"})", R"({"do": "record", "for": "long"})"})
    EXPECT_THROW((void)command_from_json(wrong), Error) << wrong;
}

TEST(MeterAnswer, SurvivesARoundTripThroughJson) {
  MeterAnswer answer;
  answer.state = MeterState{.pid = 7, .visible = true, .games = {{}}};
  GameState& game = answer.state->games[0];
  game = {.pid = 77,
          .name = "rally\xff",
          .api = "Vulkan 1.3",
          .picture = "640x360",
          .frames = 600,
          .lost = 1,
          .refused = 2,
          .face = "rate",
          .average_fps = 60.5,
          .low_1_percent_fps = 50.25,
          .frames_unknown = "no DAMAGE",
          .mistake = "line 3"};
  answer.state->recording = RecordingState{
      .phase = RecordingState::Phase::recording, .left = 8 * kSecond, .number = 2, .of = 5, .pid = 77, .run = 3};
  answer.state->recording_problem = "the disk is full";
  const MeterAnswer back = answer_from_json(to_json(answer));
  ASSERT_TRUE(back.state);
  ASSERT_EQ(back.state->games.size(), 1u);
  EXPECT_EQ(back.state->games[0].average_fps, 60.5);
  EXPECT_EQ(back.state->games[0].name, "rally\xEF\xBF\xBD") << "what isn't UTF-8 is replaced";
  EXPECT_EQ(back.state->recording->run, 3);
  EXPECT_EQ(to_json(back), to_json(answer)) << "nothing is lost";
  EXPECT_TRUE(has_game(*back.state, 77));
  EXPECT_FALSE(has_game(*back.state, 78));
  MeterAnswer stopped;
  stopped.run = 5;
  stopped.finished = false;
  EXPECT_EQ(to_json(answer_from_json(to_json(stopped))), R"({"finished":false,"ok":true,"run":5})");
  EXPECT_EQ(answer_from_json(R"({"error": "no"})").error, "no");
  for (const char* wrong : {"", "[]", R"({"run": "x"})", R"({"games": 3})"})
    EXPECT_THROW((void)answer_from_json(wrong), Error) << wrong;
}

}  // namespace
}  // namespace idlemeter::meter
