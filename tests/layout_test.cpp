// Faces laid out: shapes and their places.
#include "idlemeter/base/time.hpp"
#include "idlemeter/face/color.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/face/scene.hpp"
#include "idlemeter/readings/frame_readings.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "laid_out.hpp"

namespace idlemeter {
namespace {

using namespace testing;

TEST(Layout, ShowsLabelValueAndUnit) {
  const auto found = texts(scene_of(kFace, values(99)));
  std::vector<std::string> words;
  for (const TextShape& text : found) words.push_back(text.text);
  EXPECT_EQ(words, (std::vector<std::string>{"GPU", "99", "%", "60", "°C", "Memory", "12.8", "GiB"}));
  EXPECT_EQ(found[0].color, device_color(Face{}, DeviceKind::graphics));
  EXPECT_EQ(found[5].color, device_color(Face{}, DeviceKind::memory));
  EXPECT_GT(found[5].baseline, found[0].baseline + 20);
}

TEST(Layout, AGrowingValueMovesNothingElse) {
  const auto narrow = texts(scene_of(kFace, values(9))), wide = texts(scene_of(kFace, values(100)));
  ASSERT_EQ(narrow.size(), wide.size());
  for (std::size_t i = 0; i < narrow.size(); ++i) {
    if (i == 1) continue;
    EXPECT_EQ(narrow[i].x, wide[i].x) << narrow[i].text;
  }
  EXPECT_EQ(narrow[1].x + 10, wide[1].x + 30);  // the value itself keeps its right end
}

TEST(Layout, LimitsColourTheValue) {
  const auto color = [](Value temp) { return texts(scene_of(kFace, values(50, std::move(temp))))[3].color; };
  const Color usual = color(69.9), caution = color(70.0), danger = color(95.0);
  EXPECT_EQ(usual, (Color{244, 244, 244, 255}));
  EXPECT_NE(caution, usual);
  EXPECT_NE(danger, usual);
  EXPECT_NE(danger, caution);
  EXPECT_EQ(color(Missing{"gone"}), usual);
}

TEST(Layout, WhatIsMissingIsADash) {
  const auto found = texts(scene_of("[[row]]\ncells = [ { reading = \"gpu.temp\" }, { reading = \"no.such\" } ]\n",
                                    values(1, Missing{"asleep"})));
  ASSERT_EQ(found.size(), 3u);
  EXPECT_EQ(found[0].text, "–");
  EXPECT_EQ(found[1].text, "°C");
  EXPECT_EQ(found[2].text, "–");
}

TEST(Layout, EveryAnchorKeepsTheFaceInThePicture) {
  for (const char* anchor :
       {"top-left", "top", "top-right", "left", "centre", "right", "bottom-left", "bottom", "bottom-right"}) {
    for (const auto& [width, height] : {std::pair{1280, 720}, {1280, 800}, {3840, 2160}}) {
      const Scene scene = scene_of("place = { anchor = \"" + std::string(anchor) + "\" }\n" + kFace, values(1),
                                   History{}, width, height);
      const Rect& b = scene.bounds;
      const std::string where = std::string(anchor) + " at " + std::to_string(height);
      EXPECT_TRUE(b.x >= 0 && b.y >= 0 && b.x + b.width <= width && b.y + b.height <= height) << where;
      EXPECT_EQ(std::string(anchor).find("right") != std::string::npos, b.x > width / 2) << where;
      EXPECT_EQ(std::string(anchor).find("bottom") != std::string::npos, b.y > height / 2) << where;
    }
  }
}

TEST(Layout, SizesFollowThePicturesHeight) {
  const auto small = scene_of(kFace, values(1), History{}, 1280, 720),
             large = scene_of(kFace, values(1), History{}, 3840, 2160);
  EXPECT_NEAR(large.bounds.width / small.bounds.width, 3, 0.1);
  EXPECT_NEAR(large.bounds.height / small.bounds.height, 3, 0.1);
}

template <typename Kind>
const Kind* find_shape(const Scene& scene) {
  const auto found = std::find_if(scene.shapes.begin(), scene.shapes.end(),
                                  [](const Shape& shape) { return std::holds_alternative<Kind>(shape); });
  return found == scene.shapes.end() ? nullptr : &std::get<Kind>(*found);
}

/// The thin boxes of a scene that lie on its first trace: guide lines and clipped edges.
std::vector<BoxShape> lines_on_trace(const Scene& scene) {
  const Rect rect = find_shape<TraceShape>(scene)->rect;
  std::vector<BoxShape> lines;
  for (const Shape& shape : scene.shapes) {
    const auto* box = std::get_if<BoxShape>(&shape);
    if (box != nullptr && box->rect.height <= 3 && box->rect.y >= rect.y && box->rect.y <= rect.y + rect.height)
      lines.push_back(*box);
  }
  return lines;
}

TEST(Layout, ATraceShowsItsScaleAndWhereValuesLeaveIt) {
  History history;  // 0 to 9 for five seconds, then 30 for five
  for (int i = 0; i <= 10; ++i) history.add("gpu.load", Moment{i * kSecond}, i < 6 ? i : 30);
  const auto scene = [&](const std::string& more) {
    return scene_of(
        "[[row]]\ncells = [ { reading = \"gpu.load\", as = \"trace\", width = 200, height = 100, seconds = 10, "
        "range = [0, 10]" +
            more + " } ]\n",
        values(1), history);
  };
  const auto clipped = lines_on_trace(scene(""));
  ASSERT_EQ(clipped.size(), 1u);
  const Rect rect = find_shape<TraceShape>(scene(""))->rect;
  EXPECT_EQ(clipped[0].rect.y, rect.y) << "along the top";
  EXPECT_NEAR(clipped[0].rect.x, rect.x + 0.55 * 200, 1.5) << "from where they leave it";
  EXPECT_NEAR(clipped[0].rect.width, 0.45 * 200, 2);
  EXPECT_TRUE(lines_on_trace(scene(", grow = true")).empty());
  const auto guides = lines_on_trace(scene(", grow = true, guides = [15, 400]"));
  ASSERT_EQ(guides.size(), 1u) << "those within the range";
  EXPECT_NEAR(guides[0].rect.y, rect.y + 50, 1) << "the range has become 0 to 30";
  const auto figures = [](const Scene& drawn) {
    std::vector<std::string> found;
    for (const TextShape& text : texts(drawn)) found.push_back(text.text);
    return found;
  };
  EXPECT_EQ(figures(scene(", grow = true, ends = true")), (std::vector<std::string>{"30", "0"}));
  History small;
  small.add("gpu.load", Moment{kSecond}, 0.3);
  const Scene quiet = scene_of(
      "[[row]]\ncells = [ { reading = \"gpu.load\", as = \"trace\", height = 100, range = [0, 0.5], "
      "grow = true, ends = true } ]\n",
      values(0.3), small);
  EXPECT_EQ(figures(quiet), (std::vector<std::string>{"0.5", "0"})) << "values within it leave a range as it is";
}

TEST(Layout, TheRecordingsDotIsOnceInARow) {
  FrameReadings frames;
  frames.begin_recording({});
  const Snapshot recording({}, {frames.batch({})});
  const auto dots = [&](const char* face) {
    const Scene scene = scene_of(face, recording, History{});
    return std::count_if(scene.shapes.begin(), scene.shapes.end(), [](const Shape& shape) {
      const auto* box = std::get_if<BoxShape>(&shape);
      return box != nullptr && box->color == Color{255, 82, 82, 255};
    });
  };
  EXPECT_EQ(dots("[[row]]\ncells = [ { reading = \"frame.average\" }, { reading = \"frame.low@1%\" } ]\n"
                 "[[row]]\ncells = [ { reading = \"frame.rate\" }, { reading = \"frame.median\" } ]\n"),
            2);
}

TEST(Layout, SmallPicturesHaveReadableTextAsFarAsItFits) {
  const auto size = [](const std::string& text, int width, int height) {
    const Scene scene = scene_of("text = { " + text + " }\n[[row]]\ncells = [ { reading = \"gpu.load\" } ]\n",
                                 values(1), History{}, width, height);
    return find_shape<TextShape>(scene)->style.size;
  };
  EXPECT_EQ(size("size = 18", 1920, 1080), 18);
  EXPECT_EQ(size("size = 18", 640, 480), 11);
  EXPECT_EQ(size("size = 18, least = 6", 640, 480), 8);
  EXPECT_LT(size("size = 18, least = 100", 320, 240), 100) << "no larger than the picture";
}

TEST(Layout, ATraceEndsAtTheRightWithTheNewestValue) {
  History history;
  for (int i = 0; i <= 20; ++i) history.add("gpu.load", Moment{i * kSecond}, i);
  const Scene scene = scene_of(
      "[[row]]\ncells = [ { reading = \"gpu.load\", as = \"trace\", width = 200, height = 50, range = [0, 10], seconds "
      "= 10 } ]\n",
      values(1), history);
  const auto* trace = find_shape<TraceShape>(scene);
  ASSERT_NE(trace, nullptr);
  ASSERT_EQ(trace->points.size(), 11u);  // 10 s at one a second
  EXPECT_EQ(trace->points.front().x, trace->rect.x);
  EXPECT_EQ(trace->points.back().x, trace->rect.x + 200);
  EXPECT_EQ(trace->points.back().y, trace->rect.y);   // 20 is above the range: at its top
  EXPECT_EQ(trace->points.front().y, trace->rect.y);  // 10 is the top
}

/// The text shapes with these words, in the order of the scene.
std::vector<TextShape> find_texts(const Scene& scene, const std::string& words) {
  auto found = texts(scene);
  std::erase_if(found, [&](const TextShape& text) { return text.text != words; });
  return found;
}

TEST(Layout, ColumnsStandSideBySideAndLinesWrap) {
  const std::string rows = "[[row]]\nlabel = \"A\"\n[[row]]\nlabel = \"B\"\n[[row]]\nlabel = \"C\"\n";
  const Scene columns = scene_of("flow = \"columns\"\ncolumns = 2\n" + rows, values(1));
  const auto at = [](const Scene& scene, const char* label) { return find_texts(scene, label).at(0); };
  EXPECT_EQ(at(columns, "A").x, at(columns, "B").x);
  EXPECT_GT(at(columns, "C").x, at(columns, "A").x);
  EXPECT_EQ(at(columns, "C").baseline, at(columns, "A").baseline);
  const Scene line = scene_of("flow = \"line\"\n" + rows, values(1));
  EXPECT_EQ(at(line, "C").baseline, at(line, "A").baseline);
  EXPECT_GT(at(line, "C").x, at(line, "B").x);
  const Scene wrapped = scene_of("flow = \"line\"\nlines = 2\n" + rows, values(1));
  EXPECT_EQ(at(wrapped, "B").baseline, at(wrapped, "A").baseline);
  EXPECT_GT(at(wrapped, "C").baseline, at(wrapped, "A").baseline);
  EXPECT_LT(wrapped.bounds.width, line.bounds.width);
}

TEST(Layout, ARingIsFilledToItsShareAndAReelShowsItsState) {
  const auto shapes = [](double load) {
    const Scene scene = scene_of(
        "[[row]]\ncells = [ { reading = \"gpu.load\", as = \"ring\", width = 80 }, { reading = \"gpu.load\", as = "
        "\"reel\", sheet = \"s.png\", grid = [4, 2], "
        "states = 7, range = [0, 70] } ]\n",
        values(load));
    RingShape ring;
    PictureShape reel;
    for (const Shape& shape : scene.shapes) {
      if (const auto* found = std::get_if<RingShape>(&shape)) ring = *found;
      if (const auto* found = std::get_if<PictureShape>(&shape)) reel = *found;
    }
    return std::pair(ring, reel);
  };
  const struct {
    double load, share, x, y;
  } cases[] = {{0, 0, 0, 0},        {9.9, 0.099, 0, 0}, {10, 0.1, 0.25, 0}, {45, 0.45, 0, 0.5},
               {70, 0.7, 0.5, 0.5}, {250, 1, 0.5, 0.5}, {-5, 0, 0, 0}};
  for (const auto& c : cases) {
    const auto [ring, reel] = shapes(c.load);
    EXPECT_DOUBLE_EQ(ring.share, c.share) << c.load;
    EXPECT_EQ(ring.rect.width, 80);
    EXPECT_EQ(reel.source.x, c.x) << c.load;
    EXPECT_EQ(reel.source.y, c.y) << c.load;
    EXPECT_EQ(reel.source.width, 0.25);
  }
}

TEST(Layout, PinsStandAtTheirPlacesInFrontOrBehind) {
  const Scene scene = scene_of(
      "[[row]]\nlabel = \"Row\"\n[[pin]]\nat = [100, 200]\ntext = \"{{x}} {gpu.load:.1f} {no.such} {gpu.temp}\"\n"
      "[[pin]]\nat = [1000, 900]\nbox = [50, 40]\nlayer = \"behind\"\n",
      values(42), History{}, 3840, 2160);
  EXPECT_TRUE(std::holds_alternative<BoxShape>(scene.shapes.front()));
  EXPECT_EQ(std::get<BoxShape>(scene.shapes.front()).rect.x, 2000);
  const auto* text = std::get_if<TextShape>(&scene.shapes.back());
  ASSERT_NE(text, nullptr);
  EXPECT_EQ(text->text, "{x} 42.0 – 60 °C");
  EXPECT_EQ(text->x, 200);
  EXPECT_EQ(scene.bounds.x + scene.bounds.width, 2100);
  EXPECT_EQ(scene.bounds.y + scene.bounds.height, 1880);
}

TEST(Layout, ValuesAreAlignedInTheirColumn) {
  const auto x = [](const char* align) {
    return find_texts(scene_of(std::string("[[row]]\ncells = [ { reading = \"gpu.load\", width = 300, align = \"") +
                                   align + "\" } ]\n[[row]]\ncells = [ { reading = \"gpu.temp\", width = 600 } ]\n",
                               values(7)),
                      "7")
        .at(0)
        .x;
  };
  EXPECT_LT(x("left"), x("centre"));
  EXPECT_LT(x("centre"), x("right"));
}

TEST(Face, NamesItsReadings) {
  const FaceParse reading = parse_face(
      "[[row]]\ncells = [ { reading = \"a.b\" }, { reading = \"c.d\" } ]\n[[pin]]\nat = [1, 1]\ntext = \"{e.f} "
      "{a.b:.0f}\"\n");
  EXPECT_EQ(readings_of(reading.face.value()), (std::vector<std::string>{"a.b", "c.d", "e.f"}));
}

TEST(History, KeepsTheLastWhile) {
  History history(2 * kSecond, 3);
  for (int i = 0; i < 10; ++i) history.add("a", Moment{i * kSecond}, i);
  ASSERT_EQ(history.of("a")->size(), 3u);
  EXPECT_EQ(history.of("a")->front().value, 7);
  EXPECT_EQ(history.of("b"), nullptr);
}

// What statistics cover, seen on the overlay.

Snapshot frames(const char* face, int count, bool recording) {
  FrameReadings readings(readings_of(parse_face(face).face.value_or(Face{})));
  if (recording) readings.begin_recording({});
  for (int i = 0; i < count; ++i) readings.add({{}, 10 * kMillisecond});
  return Snapshot({}, {readings.batch({})});
}

/// Boxes other than the face's background.
std::vector<BoxShape> marks(const Scene& scene) {
  std::vector<BoxShape> found;
  for (const Shape& shape : scene.shapes) {
    if (const auto* box = std::get_if<BoxShape>(&shape); box != nullptr && box->rect.width < 20) found.push_back(*box);
  }
  return found;
}

constexpr const char* kSpans =
    "span = \"cleared\"\n[[row]]\nlabel = \"Rate\"\ncells = [ { reading = \"frame.low@1%\", span = \"recording\" }, { "
    "reading "
    "= \"frame.average\", span = \"10 s\" }, { reading = \"frame.average\", title = \"all\" } ]\n";

TEST(Layout, StatisticsShowTheirSpansAndThatThereAreTooFewFrames) {
  const Face face = *parse_face(kSpans).face;
  EXPECT_EQ(readings_of(face),
            (std::vector<std::string>{"frame.low@1%", "frame.average@10s", "frame.average@cleared"}));
  const Scene few = scene_of(kSpans, frames(kSpans, 50, false)), on = scene_of(kSpans, frames(kSpans, 50, true)),
              enough = scene_of(kSpans, frames(kSpans, 100, false));
  const auto words = texts(few);
  ASSERT_EQ(words.size(), 9u);
  EXPECT_EQ(words[3].text, "10s");
  EXPECT_EQ(words[6].text, "all");
  EXPECT_LT(texts(few)[1].color.alpha, texts(enough)[1].color.alpha);
  EXPECT_EQ(texts(few)[4].color.alpha, texts(enough)[4].color.alpha);
  EXPECT_TRUE(marks(few).empty());
  ASSERT_EQ(marks(on).size(), 1u) << "on the one that covers the recording";
  EXPECT_LT(marks(on)[0].rect.x + marks(on)[0].rect.width, texts(on)[1].x);
  for (std::size_t i = 0; i < words.size(); ++i) EXPECT_EQ(texts(on)[i].x, words[i].x) << "a mark moves nothing";
}

TEST(Layout, ARecordingIsSeenOnAnyFace) {
  constexpr const char* kPlain = "[[row]]\ncells = [ { reading = \"frame.rate\" } ]\n";
  EXPECT_TRUE(marks(scene_of(kPlain, frames(kPlain, 5, false))).empty());
  const Scene on = scene_of(kPlain, frames(kPlain, 5, true));
  ASSERT_EQ(marks(on).size(), 1u);
  EXPECT_LT(marks(on)[0].rect.x, on.bounds.x + on.bounds.width);
}

TEST(Layout, AUnitIsRewordedOrHidden) {
  const auto shown =
      texts(scene_of("[[row]]\ncells = [ { reading = \"gpu.load\", unit_text = \"of 100\" }, { reading = "
                     "\"gpu.temp\", unit_text = \"\" } ]\n",
                     values(7)));
  ASSERT_EQ(shown.size(), 3u);
  EXPECT_EQ(shown[1].text, "of 100");
  EXPECT_EQ(shown[2].text, "60");
}

TEST(Layout, UnitsAreRaisedIfAFaceSaysSo) {
  const auto level = texts(scene_of(kFace, values(9))),
             raised =
                 texts(scene_of("text = { size = 20, units = \"raised\" }\n" + std::string(kFace + 21), values(9)));
  ASSERT_EQ(level.size(), raised.size());
  EXPECT_EQ(level[1].baseline, raised[1].baseline);
  EXPECT_LT(raised[2].baseline, level[2].baseline);
}

}  // namespace
}  // namespace idlemeter
