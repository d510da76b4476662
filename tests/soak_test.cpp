// An hour of simulated time in which faces, games, recordings, feeds and devices come and go: memory and descriptors
// end where they began.
#include <gtest/gtest.h>
#include <malloc.h>
#include <sys/socket.h>
#include <unistd.h>

#include <iterator>
#include <list>

#include "base/local_socket.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/draw/painter.hpp"
#include "idlemeter/draw/write_starter.hpp"
#include "idlemeter/face/starters.hpp"
#include "idlemeter/readings/computed_readings.hpp"
#include "idlemeter/readings/live_readings.hpp"
#include "idlemeter/readings/polling.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/source.hpp"
#include "idlemeter/runs/background_recorder.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/sources/feed.hpp"
#include "idlemeter/sources/machine.hpp"
#include "link/handover.hpp"
#include "machine_tree.hpp"
#include "meter/session/game.hpp"

namespace idlemeter {
namespace {

using namespace base;

using meter::Attachment;
using meter::Game;
using meter::WatchedFace;

std::size_t open_descriptors() {
  return static_cast<std::size_t>(std::distance(std::filesystem::directory_iterator("/proc/self/fd"), {}));
}

std::size_t heap_in_use() { return ::mallinfo2().uordblks; }

/// Presents at 120 frames a second of the simulated clock.
class Steady final : public Attachment {
 public:
  explicit Steady(const Moment& now) : now_(now), next_(now) {}
  [[nodiscard]] pid_t pid() const override { return 0; }
  std::uint32_t drain(std::vector<link::FrameEntry>& into) override {
    for (; next_ <= now_; next_ += kSecond / 120) {
      link::FrameEntry frame;
      frame.present = next_;
      frame.gpu_work = 5 * kMillisecond;
      frame.width = 640;
      frame.height = 360;
      into.push_back(frame);
    }
    return 0;
  }
  [[nodiscard]] bool takes_pictures() const override { return true; }
  void publish(const Image& image, int, int) override { pixels += image.pixels.size(); }
  void show(bool) override {}
  void beat(Moment) override {}

  std::size_t pixels = 0;

 private:
  const Moment& now_;
  Moment next_;
};

/// A meter's parts on the test's clock, and what happens around it in each minute.
class Evening {
 public:
  Evening() {
    for (const Starter& starter : starters()) {
      faces_.push_back(folder_ / (std::string(starter.name) + ".toml"));
      write_starter(starter, faces_.back());
    }
    plug(0);
    Sources sources = machine_sources({.root = folder_.path(), .graphics_library = ""});
    sources.push_back(feed_source({.socket = folder_ / "sockets/feed"}));
    polling_.emplace(std::move(sources));
  }

  void minute(int number) {
    games_.emplace_back(std::make_unique<Steady>(now_), WatchedFace(faces_[0]), computed());
    const auto recorder = std::make_unique<BackgroundRecorder>(
        folder_ / "runs.db", RunDetails{.game = "Tidepool Rally"}, [this] { return now_; });
    games_.back().begin_recording(*recorder, now_, {});
    for (int second = 0; second < 60; ++second) {
      if (second % 7 == 0) plug(number * 60 + second);
      if (second % 10 == 0)
        games_.back().set_face(WatchedFace(faces_[static_cast<std::size_t>(second / 10) % faces_.size()]));
      if (second == 30) games_.emplace_back(std::make_unique<Steady>(now_), WatchedFace(faces_[1]), computed());
      hand_in(second);
      half_second();
      half_second();
    }
    games_.front().live().end_recording(now_);
    recorder->finish();
    EXPECT_TRUE(recorder->wait(std::chrono::minutes(1)));
    games_.clear();
  }

 private:
  static std::vector<ComputedReading> computed() {
    return {{.info = {.id = "own.calm"}, .of = "frame.time", .over = std::chrono::seconds(5)}};
  }

  void half_second() {
    now_ += kSecond / 2;
    const Snapshot values = polling_->sample(now_);
    for (Game& game : games_) {
      (void)game.drain(now_);
      game.update(values, now_, LiveReadings::Past::keep);
      game.redraw(painter_);
    }
  }

  /// Devices that come and go, each time with a new name in a new place.
  void plug(int time) {
    std::error_code none;
    for (const char* name : {"hwmon", "net", "thermal"})
      std::filesystem::remove_all(folder_ / "sys/class" / name, none);
    for (int i = 0; i <= time % 4; ++i) {
      const std::string number = std::to_string((time + i) % 9);
      folder_.file("sys/class/hwmon/hwmon" + number + "/name", i % 2 == 0 ? "nvme" : "usb" + number);
      folder_.file("sys/class/hwmon/hwmon" + number + "/temp1_input", "40000");
      folder_.file("sys/class/net/veth" + std::to_string(time * 10 + i) + "/statistics/rx_bytes", "1");
      folder_.file("sys/class/thermal/thermal_zone" + number + "/type", "acpitz");
      folder_.file("sys/class/thermal/thermal_zone" + number + "/temp", "30000");
    }
  }

  /// A program that hands in a number, and one that leaves in the middle of a line.
  void hand_in(int second) {
    for (const std::string& text : {"depth{stage=\"" + std::to_string(second % 5) + "\"} 1\n", std::string("dep")}) {
      int client = -1;
      while ((client = connect_to((folder_ / "sockets/feed").c_str())) < 0) ::usleep(500);  // others are at the door
      (void)!::send(client, text.data(), text.size(), MSG_NOSIGNAL);  // or it is turned away: there are too many
      ::close(client);
    }
  }

  testing::Folder folder_;
  std::vector<std::filesystem::path> faces_;
  Moment now_{kSecond};
  std::optional<Polling> polling_;
  Painter painter_;
  std::list<Game> games_;
};

TEST(Soak, AnHourLeavesNothingBehind) {
  { Evening().minute(0); }  // what is made once: fonts, tables
  const std::size_t descriptors = open_descriptors(), before = heap_in_use();
  std::size_t early = 0;
  {
    Evening evening;
    for (int minute = 0; minute < 60; ++minute) {
      evening.minute(minute);
      if (minute == 14) early = heap_in_use();
    }
    EXPECT_LT(heap_in_use(), early + (8u << 20)) << "the last three quarters of an hour keep no more than the first";
  }
  EXPECT_EQ(open_descriptors(), descriptors);
  EXPECT_LT(heap_in_use(), before + (512u << 10));
}

}  // namespace
}  // namespace idlemeter
