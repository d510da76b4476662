// Pixels: blending is exact, drawing stays within bounds, files are whole.
#include <gtest/gtest.h>
#include <sys/stat.h>

#include <cmath>
#include <limits>

#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/finding.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/draw/painter.hpp"
#include "idlemeter/draw/png.hpp"
#include "idlemeter/draw/write_starter.hpp"
#include "idlemeter/face/check_face.hpp"
#include "idlemeter/face/color.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/face/lay_out.hpp"
#include "idlemeter/face/scene.hpp"
#include "idlemeter/face/starters.hpp"
#include "idlemeter/face/text_measure.hpp"
#include "picture.hpp"
#include "simulation.hpp"

namespace idlemeter {
namespace {

constexpr std::uint32_t kGround = 0xff285078;  // (40, 80, 120)

Image ground(int width, int height) {
  Image image(width, height);
  std::fill(image.pixels.begin(), image.pixels.end(), kGround);
  return image;
}

Scene scene_of(std::vector<Shape> shapes) { return {400, 300, std::move(shapes), {}}; }

/// How many pixels differ from the ground outside / inside of the rectangle.
std::pair<int, int> changed(const Image& image, Rect inside) {
  std::pair<int, int> count;
  for (int y = 0; y < image.height; ++y) {
    for (int x = 0; x < image.width; ++x) {
      if (image.at(x, y) == kGround) continue;
      const bool in = x >= inside.x && y >= inside.y && x < inside.x + inside.width && y < inside.y + inside.height;
      ++(in ? count.second : count.first);
    }
  }
  return count;
}

TEST(Painter, BlendsColoursOverTheGround) {
  Painter painter;
  const struct {
    Color color;
    std::uint32_t pixel;
  } cases[] = {{{255, 0, 0, 128}, 0xff94283c},
               {{255, 255, 255, 128}, 0xff94a8bc},
               {{1, 2, 3, 255}, 0xff010203},
               {{9, 9, 9, 0}, kGround}};
  for (const auto& c : cases) {
    Image image = ground(40, 40);
    painter.draw(scene_of({BoxShape{{5, 5, 30, 30}, c.color, 0}}), image);
    EXPECT_EQ(image.at(20, 20), c.pixel) << std::hex << image.at(20, 20);
    EXPECT_EQ(image.at(2, 2), kGround);
  }
}

TEST(Painter, TextStaysWithinWhatItMeasures) {
  Painter painter;
  const TextStyle style{"sans", 24, false};
  const TextExtent extent = painter.measure("Wg88%", style);
  Image image = ground(300, 100);
  painter.draw(scene_of({TextShape{"Wg88%", style, {255, 255, 255, 255}, 50, 60, Edge::shadow}}), image);
  const auto [outside, inside] =
      changed(image, {50 - 3, 60 - extent.ascent - 3, extent.width + 6, extent.ascent + extent.descent + 6});
  EXPECT_EQ(outside, 0);
  EXPECT_GT(inside, 300);
}

/// The strongest cover of any pixel within the radius (and above, because a shadow falls).
std::uint32_t most_around(const Image& text, int x, int y, int radius, int fall) {
  std::uint32_t most = 0;
  for (int ny = std::max(0, y - radius - fall); ny <= std::min(text.height - 1, y + radius); ++ny) {
    for (int nx = std::max(0, x - radius); nx <= std::min(text.width - 1, x + radius); ++nx)
      most = std::max(most, text.at(nx, ny) >> 24);
  }
  return most;
}

TEST(Painter, RimsAreTheTextGrownInEveryDirection) {
  Painter painter;
  for (const double size : {8.0, 18.0, 90.0, 300.0}) {
    const int radius = std::max(1, static_cast<int>(std::lround(size / 18)));
    const struct {
      Edge edge;
      int radius, fall;
      double strength;
    } rims[] = {{Edge::shadow, radius, 1, 0.6}, {Edge::outline, radius + 1, 0, 0.85}};
    const TextShape bare{"j8", {"sans", size, false}, {255, 255, 255, 255}, 20, size + 20, Edge::none};
    const int side = static_cast<int>(1.6 * size) + 50;
    Image text(side, side);
    painter.draw(scene_of({bare}), text);
    for (const auto& rim : rims) {
      TextShape edged = bare;
      edged.edge = rim.edge;
      Image image(side, side);
      painter.draw(scene_of({edged}), image);
      const auto alpha = static_cast<std::uint32_t>(std::lround(255 * rim.strength));
      for (int y = 0; y<side; y += size> 100 ? 7 : 1) {
        for (int x = 0; x<side; x += size> 100 ? 7 : 1) {
          if (text.at(x, y) != 0) continue;
          const double wanted = alpha * most_around(text, x, y, rim.radius, rim.fall) / 255.0;
          ASSERT_NEAR(image.at(x, y) >> 24, wanted, 0.5) << size << ' ' << rim.radius << " at " << x << ' ' << y;
        }
      }
    }
  }
}

TEST(Painter, AnyTextIsDrawnOrCutWhateverItsLengthAndSize) {
  Painter painter;
  std::string long_text;
  for (int i = 0; i < 4'000; ++i) long_text += static_cast<char>('a' + i % 26);
  std::string stacked = "a";
  for (int i = 0; i < 900; ++i) stacked += "\u0301";
  const std::string texts[] = {long_text, std::string(90, 'W'), stacked, "a\xff\xfe\n\x1b[2J\xc2\x9b",
                               std::string(1, '\0')};
  for (const std::string& text : texts) {
    for (const double size : {18.0, 400.0, 3'200.0, 1e9, -1.0, std::numeric_limits<double>::quiet_NaN()}) {
      for (const Edge edge : {Edge::none, Edge::shadow, Edge::outline}) {
        Image image = ground(300, 200);
        painter.draw(scene_of({TextShape{text, {"sans", size, true}, {255, 255, 255, 255}, 10, 150, edge}}), image);
        if (size > 0 && size < 100) {
          EXPECT_GT(changed(image, {0, 0, 300, 200}).second, 20) << text.substr(0, 20);
        }
      }
    }
  }
  EXPECT_EQ(painter.measure(long_text, {}).width, painter.measure(long_text.substr(0, 999) + "…", {}).width);
  EXPECT_EQ(painter.measure("W", {"sans", 5'000, false}).width, painter.measure("W", {"sans", 1'024, false}).width);
  EXPECT_EQ(painter.measure("a\x1b", {}).width, painter.measure("a\uFFFD", {}).width);
}

TEST(Painter, AnOversizedSceneIsPaintedInPart) {
  Painter painter;
  Image image = ground(4'096, 1'024);  // 4 Mi pixels: sixteen boxes of that size are a scene's budget
  std::vector<Shape> boxes(16, BoxShape{{-10, -10, 5'000, 2'000}, {1, 2, 3, 255}, 0});
  EXPECT_EQ(painter.draw(scene_of(boxes), image), 0u);
  boxes.insert(boxes.end(), 3, BoxShape{{0, 0, 9'000, 9'000}, {9, 9, 9, 255}, 0});
  boxes.emplace_back(BoxShape{{5'000, 5'000, 9'000, 9'000}, {9, 9, 9, 255}, 0});  // not seen, so it costs nothing
  EXPECT_EQ(painter.draw(scene_of(boxes), image), 3u);
  EXPECT_EQ(image.at(0, 0), 0xff010203u);
}

TEST(Painter, DigitsAreAllEquallyWide) {
  Painter painter;
  for (const char* text : {"000", "111", "999"})
    EXPECT_EQ(painter.measure(text, {}).width, painter.measure("888", {}).width) << text;
}

TEST(Painter, ATraceStaysInItsFieldAndPassesThroughItsPoints) {
  Painter painter;
  TraceShape trace{{50, 50, 100, 40}, {}, {255, 255, 0, 255}, 2};
  for (int i = 0; i <= 100; ++i) trace.points.push_back({50.0 + i, i % 2 == 0 ? 50.0 : 90.0});
  trace.points.push_back({150, 90});
  Image image = ground(200, 200);
  painter.draw(scene_of({trace}), image);
  const auto [outside, inside] = changed(image, trace.rect);
  EXPECT_EQ(outside, 0);
  EXPECT_EQ(inside, 100 * 40);

  Image flat = ground(200, 200);
  painter.draw(scene_of({TraceShape{{50, 50, 100, 40}, {{50, 70}, {150, 70}}, {255, 255, 0, 255}, 2}}), flat);
  EXPECT_EQ(flat.at(100, 69), 0xffffff00);
  EXPECT_EQ(flat.at(100, 70), 0xffffff00);
  EXPECT_EQ(changed(flat, {50, 69, 100, 2}), (std::pair<int, int>{0, 200}));
}

TEST(Painter, ARingIsOpenAtTheBottomAndFilledFromTheLeft) {
  Painter painter;
  Image image = ground(100, 100);
  const Color full{255, 0, 0, 255}, empty{0, 0, 255, 255};
  painter.draw(scene_of({RingShape{{10, 10, 80, 80}, 10, 0.5, full, empty}}), image);
  EXPECT_EQ(image.at(15, 50), 0xffff0000);  // left
  EXPECT_EQ(image.at(85, 50), 0xff0000ff);  // right
  EXPECT_EQ(image.at(50, 85), kGround);     // bottom
  EXPECT_EQ(image.at(50, 50), kGround);     // middle
  EXPECT_EQ(changed(image, {10, 10, 80, 80}).first, 0);
}

TEST(Painter, APictureShowsItsPartAndAMissingOneNothing) {
  const testing::Folder folder;
  Image sheet(20, 10);
  for (int i = 0; i < 200; ++i) sheet.pixels[static_cast<std::size_t>(i)] = i % 20 < 10 ? 0xff00ff00 : 0xffff00ff;
  write_png(sheet, folder / "sheet.png");
  Painter painter;
  Image image = ground(60, 60);
  painter.draw(scene_of({PictureShape{{10, 10, 40, 40}, (folder / "sheet.png").string(), {0.5, 0, 0.5, 1}},
                         PictureShape{{0, 0, 60, 60}, (folder / "none.png").string()}}),
               image);
  EXPECT_EQ(image.at(30, 30), 0xffff00ff);
  EXPECT_EQ(image.at(5, 5), kGround);
  EXPECT_EQ(changed(image, {10, 10, 40, 40}).first, 0);
}

TEST(Starters, FitEveryUsualPictureWithoutFindings) {
  const testing::Folder folder;
  rig::Simulation desktop(folder / "machine", {}, rig::spec_of("desktop"));
  rig::Simulation handheld(folder / "handheld", {}, rig::spec_of("handheld"));
  desktop.play(12);
  handheld.play(12);
  for (const Starter& starter : starters()) {
    const rig::Simulation& session = starter.name == "handheld" ? handheld : desktop;
    const auto file = folder / (std::string(starter.name) + ".toml");
    write_starter(starter, file);
    EXPECT_THROW(write_starter(starter, file), Error) << starter.name;  // never overwritten
    const Face face = load_face(file);
    Painter checker;
    for (const Finding& finding : check_face(face, session.values(), checker))
      ADD_FAILURE() << to_string(finding, starter.name);
    for (const auto& [width, height] :
         {std::pair{640, 480}, {1280, 720}, {1920, 1080}, {2560, 1440}, {3840, 2160}, {1280, 800}}) {
      Painter painter;
      const Scene scene = lay_out(face, width, height, session.values(), session.history(), painter);
      const Rect& b = scene.bounds;
      EXPECT_TRUE(b.x >= 0 && b.y >= 0 && b.x + b.width <= width && b.y + b.height <= height)
          << starter.name << ' ' << width << 'x' << height;
      double smallest = 100;
      for (const Shape& shape : scene.shapes) {
        if (const auto* text = std::get_if<TextShape>(&shape)) smallest = std::min(smallest, text->style.size);
      }
      EXPECT_GE(smallest, height > 480                   ? 11
                          : starter.name == "everything" ? 8
                                                         : 10)
          << starter.name << ' ' << width << 'x' << height;
    }
  }
  EXPECT_TRUE(std::filesystem::exists(folder / "gauge.png"));
}

/// A helper's window may have any size.
TEST(Starters, AreDrawnOnPicturesOfEverySize) {
  const testing::Folder folder;
  rig::Simulation session(folder / "machine", {}, rig::spec_of("desktop"));
  session.play(5);
  std::vector<std::pair<int, int>> sizes = {{1920, 1}, {1, 1080}, {640, 10}, {3, 4096}};
  for (int width = 1; width <= 64; width += width < 20 ? 1 : 11) {
    for (int height = 1; height <= 64; height += height < 20 ? 1 : 11) sizes.emplace_back(width, height);
  }
  Painter painter;
  for (const Starter& starter : starters()) {
    const auto file = folder / (std::string(starter.name) + ".toml");
    write_starter(starter, file);
    const Face face = load_face(file);
    for (const auto& [width, height] : sizes) {
      const Scene scene = lay_out(face, width, height, session.values(), session.history(), painter);
      Image image = ground(width, height);
      EXPECT_EQ(painter.draw(scene, image), 0u) << starter.name << ' ' << width << 'x' << height;
    }
  }
}

TEST(Painter, ClipsToTheImage) {
  Painter painter;
  Image image = ground(30, 30);
  painter.draw(scene_of({BoxShape{{-50, -50, 60, 60}, {255, 0, 0, 255}, 0},
                         TextShape{"Tidepool", {}, {255, 255, 255, 255}, -20, 35, Edge::outline},
                         TextShape{"far", {}, {255, 255, 255, 255}, 1e6, -1e6, Edge::shadow},
                         TraceShape{{-20, -20, 100, 100}, {{-20, 0}, {80, 60}}, {0, 255, 0, 255}, 2}}),
               image);
  EXPECT_EQ(image.at(0, 0), 0xffff0000);
  Image part = ground(10, 10);
  painter.draw(scene_of({BoxShape{{100, 100, 10, 10}, {1, 2, 3, 255}, 0}}), part, 100, 100);
  EXPECT_EQ(part.at(5, 5), 0xff010203);
  Image none;
  painter.draw(scene_of({BoxShape{{0, 0, 9, 9}, {}, 0}}), none);
}

TEST(Png, SurvivesARoundTrip) {
  const testing::Folder folder;
  Image image = ground(31, 17);
  image.pixels[0] = 0;
  image.pixels[1] = 0x80402010;
  write_png(image, folder / "a.png");
  const Image back = load_png(folder / "a.png");
  EXPECT_EQ(back.width, 31);
  EXPECT_EQ(back.pixels, image.pixels);
  EXPECT_EQ(std::distance(std::filesystem::directory_iterator(folder.path()), {}), 1);  // no half file left
}

TEST(Png, AFailureNamesTheFile) {
  const testing::Folder folder;
  const auto text = folder.file("text.png", "not a picture");
  ASSERT_EQ(::mkfifo((folder / "pipe.png").c_str(), 0600), 0);
  write_png(ground(5'000, 1), folder / "wide.png");
  std::string large = testing::text_of(folder / "wide.png");
  large.replace(20, 4, std::string("\0\0\xff\xff", 4));  // says that it decodes to more than a gigabyte
  for (const auto& file : {text, folder / "none.png", folder / "pipe.png", folder.file("large.png", large),
                           folder.file("cut.png", testing::text_of(folder / "wide.png").substr(0, 60))})
    EXPECT_THROW((void)load_png(file), Error) << file;
  EXPECT_THROW((void)load_png(folder / "wide.png", 4'999), Error);
  EXPECT_EQ(load_png(folder / "wide.png", 5'000).width, 5'000);
  EXPECT_THROW(write_png(ground(2, 2), folder / "no/such/folder.png"), Error);
  std::filesystem::create_symlink("text.png", folder / "link.png");
  write_png(ground(2, 2), folder / "link.png");
  EXPECT_EQ(load_png(text).pixels[3], kGround);
  EXPECT_TRUE(std::filesystem::is_symlink(folder / "link.png")) << "links are followed";
  EXPECT_THROW(write_png(ground(2, 2), "/dev/full"), Error);
  write_png(ground(2, 2), "/dev/null");
  EXPECT_TRUE(std::filesystem::is_character_file("/dev/null")) << "and devices written into";
}

TEST(GamePicture, IsTheSameEveryTimeAndHasItsGround) {
  using rig::Ground;
  const auto brightness = [](const Image& image) {
    double sum = 0;
    for (std::uint32_t pixel : image.pixels) sum += (pixel >> 16 & 255) + (pixel >> 8 & 255) + (pixel & 255);
    return sum / static_cast<double>(image.pixels.size()) / 765;
  };
  EXPECT_EQ(rig::game_picture(320, 180).pixels, rig::game_picture(320, 180).pixels);
  EXPECT_GT(brightness(rig::game_picture(320, 180, Ground::day)), 0.6);
  EXPECT_LT(brightness(rig::game_picture(320, 180, Ground::night)), 0.2);
}

}  // namespace
}  // namespace idlemeter
