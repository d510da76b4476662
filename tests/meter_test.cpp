// Parts of the meter by themselves: which window counts, faces that are saved, and what it does in a game that only
// presents.
#include <gtest/gtest.h>

#include "folder.hpp"
#include "idlemeter/error.hpp"
#include "idlemeter/limits.hpp"
#include "meter/draw_pace.hpp"
#include "meter/game.hpp"
#include "meter/links.hpp"
#include "meter/recording.hpp"

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
    {"another that comes once is passed over", {{1, 0}, {1, 10}, {2, 12}, {1, 20}, {1, 30}}, {-1, 10, -1, 10, 10}},
    {"two at once: the first counts", {{1, 0}, {2, 1}, {1, 10}, {2, 11}, {1, 20}, {2, 21}}, {-1, -1, 10, -1, 10, -1}},
    {"a new one in place of the old", {{1, 0}, {1, 10}, {2, 50}, {2, 60}, {2, 70}}, {-1, 10, -1, 10, 10}},
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
      frame.present = (1'000 + at) * kMillisecond;
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
  EXPECT_TRUE(game.drain(kSecond).empty());
  game.update(Snapshot(0, {}), kSecond, true);
  EXPECT_EQ(number(*game.values().find("own.frames").value), 0);
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
  void beat(std::int64_t) override {}

  std::uint32_t lost = 0;

 private:
  std::vector<link::FrameEntry>& frames_;
};

link::FrameEntry presented(Nanoseconds at) {
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
  Nanoseconds now = kSecond;
  for (const auto& [came, taken] : seconds) {
    const std::uint64_t presents = game.presents(), lost = game.lost();
    for (std::size_t i = 0; i < came; ++i) frames.push_back(presented(now + static_cast<Nanoseconds>(i)));
    (void)game.drain(now);
    EXPECT_EQ(game.presents() - presents, taken);
    EXPECT_EQ(game.lost() - lost, came - taken);
    now += kSecond;
  }
}

TEST(AGame, HasNoIntervalOverWhatWasLostOrAPause) {
  const testing::Folder folder;
  std::vector<link::FrameEntry> frames;
  auto handed = std::make_unique<Handed>(frames);
  Handed& attachment = *handed;
  Game game(std::move(handed), WatchedFace(folder.file("a.toml", kRate)), {});
  const auto intervals = [&](Nanoseconds first, bool after_pause) {
    for (int i = 0; i < 3; ++i) frames.push_back(presented(first + i * 10 * kMillisecond));
    frames[0].after_pause = after_pause ? 1 : 0;
    std::vector<Nanoseconds> all;
    for (const FrameRecord& frame : game.drain(first + kSecond)) all.push_back(frame.interval / kMillisecond);
    return all;
  };
  EXPECT_EQ(intervals(1 * kSecond, true), (std::vector<Nanoseconds>{10, 10}));
  EXPECT_EQ(intervals(2 * kSecond, false), (std::vector<Nanoseconds>{980, 10, 10}));
  EXPECT_EQ(intervals(3 * kSecond, true), (std::vector<Nanoseconds>{10, 10})) << "a window that was minimised";
  attachment.lost = 5;
  EXPECT_EQ(intervals(4 * kSecond, false), (std::vector<Nanoseconds>{10, 10})) << "overwritten before they were read";
}

TEST(DrawPace, RestsFourTimesAsLongAsDrawingTook) {
  DrawPace pace;
  EXPECT_TRUE(pace.is_due(0));
  pace.drew(0, 5 * kMillisecond);
  EXPECT_TRUE(pace.is_due(5 * kMillisecond)) << "a short one needs no rest";
  pace.drew(10 * kMillisecond, 68 * kMillisecond);
  EXPECT_FALSE(pace.is_due(267 * kMillisecond));
  EXPECT_TRUE(pace.is_due(268 * kMillisecond));
}

TEST(Recording, TakesWhatIsPresentedSinceItsBeginningAndEndsInTime) {
  const testing::Folder folder;
  Game game(std::make_unique<LinkAttachment>(link::MeterEnd(-1)), WatchedFace(folder.file("a.toml", kRate)), {});
  Recording recording(folder / "runs.db", game, Snapshot(0, {}), 2, 10 * kSecond);
  recording.add(std::vector<FrameRecord>{{9 * kSecond, 5, -1}, {10 * kSecond, 7, -1}, {11 * kSecond, 9, 3}});
  EXPECT_FALSE(recording.is_over(12 * kSecond - 1));
  EXPECT_TRUE(recording.is_over(12 * kSecond));
  EXPECT_EQ(recording.mark(), 1);
  EXPECT_EQ(recording.mark(), 2);
  recording.finish();
  ASSERT_TRUE(recording.wait(std::chrono::minutes(1)));
  const std::int64_t id = recording.state().run;
  const Store store(folder / "runs.db", Store::Mode::existing);
  EXPECT_EQ(store.frames(id), (std::vector<FrameRecord>{{0, 7, -1}, {kSecond, 9, 3}}));
  const Recording refused(folder / "a.toml", game, Snapshot(0, {}), 0, 0);
  ASSERT_TRUE(refused.wait(std::chrono::minutes(1)));
  EXPECT_NE(refused.state().problem.find("not an Idle Meter store"), std::string::npos) << refused.state().problem;
}

}  // namespace
}  // namespace idlemeter::meter
