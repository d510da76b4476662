// Facts of a Wayland display, and the clients of its socket.
#include <gtest/gtest.h>
#include <sys/socket.h>
#include <unistd.h>

#include <cstdlib>
#include <map>
#include <string>

#include "base/local_socket.hpp"
#include "base/private_socket.hpp"
#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "meter/display/layer_window.hpp"
#include "meter/display/wayland_facts.hpp"
#include "meter/display/wayland_session.hpp"
#include "meter/entrance/clients_of_socket.hpp"

namespace idlemeter::meter {
namespace {

/// A server that accepts connections and never answers.
class Silent {
 public:
  explicit Silent(const std::filesystem::path& path) : fd_(base::listen_privately(path)) {}
  Silent(const Silent&) = delete;
  Silent& operator=(const Silent&) = delete;
  ~Silent() {
    ::close(fd_);
    if (taken_ >= 0) ::close(taken_);
  }

  void take() { taken_ = ::accept(fd_, nullptr, nullptr); }

 private:
  int fd_, taken_ = -1;
};

TEST(Output, HasTheScaleOfItsPixels) {
  const struct {
    int mode_width, mode_height;
    bool on_its_side;
    int whole, width, height;
    double scale;
  } cases[] = {{1920, 1080, false, 1, 1920, 1080, 1},   {2560, 1440, false, 2, 2048, 1152, 1.25},
               {320, 240, false, 2, 213, 160, 1.5},     {1366, 768, false, 2, 1093, 614, 1.25},
               {800, 1280, true, 1, 1280, 800, 1},      {800, 1280, true, 2, 1024, 640, 1.25},
               {3840, 2160, false, 2, 0, 0, 2},         {0, 0, false, 1, 1280, 800, 1},
               {1920, 1080, false, 1, 3840, 2160, 0.5}, {1920, 1080, false, 0, 0, 0, 0.25},
               {1'000'000'000, 1, false, 1, 1, 1, 16},  {1920, 1080, false, 2, 1097, 617, 1.75}};
  for (const auto& c : cases) {
    WaylandOutput output;
    output.mode_width = c.mode_width;
    output.mode_height = c.mode_height;
    output.on_its_side = c.on_its_side;
    output.whole_scale = c.whole;
    output.width = c.width;
    output.height = c.height;
    EXPECT_DOUBLE_EQ(output.scale(), c.scale) << c.mode_width << " for " << c.width;
    EXPECT_EQ(output.pixel_width(), c.on_its_side ? c.mode_height : c.mode_width);
  }
}

TEST(Stretch, HoldsThePixelsBetweenWholeUnitsAndPixels) {
  for (const double scale : {0.5, 1.0, 1.25, 1.5, 1.75, 2.0, 121.0 / 120, 179.0 / 120}) {
    for (const int at : {-7, 0, 1, 20, 333}) {
      for (const int length : {1, 120, 301}) {
        const Stretch around = stretch_around(at, length, scale);
        EXPECT_LE(around.from_pixel, at) << scale;
        EXPECT_GE(around.to_pixel, at + length) << scale;
        EXPECT_NEAR(around.from * scale, around.from_pixel, 1e-6) << scale << ' ' << at;
        EXPECT_NEAR(around.to * scale, around.to_pixel, 1e-6) << scale << ' ' << at;
        EXPECT_LE(around.to - around.from, length / scale + 242) << scale;  // 120 units more at either end
      }
    }
  }
  const Stretch exact = stretch_around(20, 40, 2);
  EXPECT_EQ(exact.from, 10);
  EXPECT_EQ(exact.to, 30);
}

TEST(Clients, OfASocketAreKnownByTheirEnds) {
  const testing::Folder folder;
  Silent server(folder / "sea"), other(folder / "seaside");  // a path that begins like the other
  EXPECT_FALSE(has_any_socket(::getpid(), clients_of_socket(folder / "sea")));
  const int client = base::connect_to((folder / "seaside").c_str());
  ASSERT_GE(client, 0);
  other.take();
  EXPECT_FALSE(has_any_socket(::getpid(), clients_of_socket(folder / "sea")));
  EXPECT_TRUE(has_any_socket(::getpid(), clients_of_socket(folder / "seaside")));
  EXPECT_TRUE(clients_of_socket("").empty());
  ::close(client);
  EXPECT_FALSE(has_any_socket(::getpid(), clients_of_socket(folder / "seaside")));
}

TEST(WaylandFacts, AreNotWaitedForForever) {
  const testing::Folder folder;
  const Silent compositor(folder / "sea");
  ::setenv("XDG_RUNTIME_DIR", folder.path().c_str(), 1);
  ::setenv("WAYLAND_DISPLAY", "sea", 1);
  const std::map<std::string, std::string> facts = wayland_facts();
  EXPECT_EQ(facts.size(), 1u);
  EXPECT_NE(facts.at("Compositor").find(", Wayland"), std::string::npos);
  for (const char* name : {"nowhere", ""}) {
    ::setenv("WAYLAND_DISPLAY", name, 1);
    EXPECT_TRUE(wayland_facts().empty()) << name;
  }
  ::unsetenv("WAYLAND_DISPLAY");
  EXPECT_TRUE(wayland_facts().empty());
  EXPECT_THROW(WaylandSession(), Error);
}

}  // namespace
}  // namespace idlemeter::meter
