#include "idlemeter/face.hpp"

#include <gtest/gtest.h>

#include "folder.hpp"
#include "idlemeter/error.hpp"
#include "idlemeter/scene.hpp"

namespace idlemeter {
namespace {

TEST(Face, ReadsWhatTheFileSays) {
  const FaceReading reading = read_face(R"(
name  = "Bench corner"
place = { anchor = "bottom-right", dx = -4, dy = 20.5 }
text  = { font = "DejaVu Sans", size = 22, color = "#f4f4f4", edge = "outline" }
back  = { color = "#10141f", opacity = 0.4, radius = 3 }
flow  = "line"
span  = "10 s"
[[row]]
label = "Marl G9"
color = "#8fd694cc"
cells = [ { reading = "gpu.hotspot.temp", caution = 85, danger = 95.5, title = "hot" },
          { reading = "gpu.memory.used", unit = "GiB", digits = 1, color = "#010203" },
          { reading = "frame.time", as = "text+trace", width = 260, height = 44, range = [0, 40], seconds = 20 } ]
)");
  ASSERT_TRUE(reading.face) << to_string(reading.findings.at(0), "face");
  const Face& face = *reading.face;
  EXPECT_EQ(face.name, "Bench corner");
  EXPECT_EQ(face.place.anchor, Anchor::bottom_right);
  EXPECT_EQ(face.place.dx, -4);
  EXPECT_EQ(face.text.font, "DejaVu Sans");
  EXPECT_EQ(face.text.edge, Edge::outline);
  EXPECT_EQ(face.back.opacity, 0.4);
  EXPECT_EQ(face.flow, Flow::line);
  EXPECT_EQ(face.span, (Span{Span::Kind::last, 10 * kSecond}));
  ASSERT_EQ(face.rows.size(), 1u);
  EXPECT_EQ(face.rows[0].color, (Color{0x8f, 0xd6, 0x94, 0xcc}));
  const auto& cells = face.rows[0].cells;
  ASSERT_EQ(cells.size(), 3u);
  EXPECT_EQ(cells[0].danger, 95.5);
  EXPECT_EQ(cells[1].unit, Unit::gibibyte);
  EXPECT_EQ(cells[1].digits, 1);
  EXPECT_EQ(cells[2].as, Show::text_and_trace);
  EXPECT_EQ(cells[2].range, (std::pair<double, double>{0, 40}));
}

struct Broken {
  const char* text;
  std::uint32_t line, column;
  const char* words;
};

constexpr Broken kBroken[] = {
    {"", 1, 1, "a face without rows or pins; begin one with [[row]]"},
    {"name = \"a", 1, 10, ""},
    {"näme = \"a\"", 1, 2, "a character that TOML takes only in quotes or behind #"},
    {"name = \"ö\" # ü\n  ß = 1", 2, 3, "a character that TOML takes only"},
    {"name = \"\"\"ö\n\\\"\"\"\" é", 2, 7, "a character that TOML takes only"},
    {"name = 'ö\\' é", 1, 13, "a character that TOML takes only"},
    {"name = \"\"\"a\"\"\"\"\nnmae = \"ö\"\n[[row]]", 2, 1, "a face has no key 'nmae'"},
    {"[[row]\nlabel = 1", 1, 7, ""},
    {"nmae = \"a\"\n[[row]]", 1, 1, "a face has no key 'nmae'; did you mean 'name'?"},
    {"[[rows]]", 1, 3, "did you mean 'row'?"},
    {"name = 3\n[[row]]", 1, 8, "'name' of a face is a string, not a whole number"},
    {"place = \"top\"\n[[row]]", 1, 9, "'place' of a face is a table like { … }, not a string"},
    {"place = { anchor = \"top-rihgt\" }\n[[row]]", 1, 20, "'top-rihgt' is no anchor; did you mean 'top-right'"},
    {"place = { anchr = \"top\" }\n[[row]]", 1, 11, "'place' has no key 'anchr'; did you mean 'anchor'?"},
    {"text = { size = 0 }\n[[row]]", 1, 17, "'size' of 'text' is from 4 to 400, not 0"},
    {"text = { size = nan }\n[[row]]", 1, 17, "'size' of 'text' is from 4 to 400, not nan"},
    {"text = { edge = \"glow\" }\n[[row]]", 1, 17, "'glow' is no edge; it is one of 'none', 'shadow', 'outline'"},
    {"text = { color = \"red\" }\n[[row]]", 1, 18, "'red' is no colour; write it like \"#8fd694\""},
    {"back = { opacity = 55 }\n[[row]]", 1, 20, "'opacity' of 'back' is from 0 to 1, not 55"},
    {"flow = \"stacked\"\n[[row]]", 1, 8, "'stacked' is no flow; did you mean 'stack'?"},
    {"flow = 1\n[[row]]", 1, 8, "'flow' of a face is a string, not a whole number"},
    {"span = \"forever\"\n[[row]]", 1, 8, "'span' is \"recording\", \"cleared\" or a time"},
    {"span = \"10 m\"\n[[row]]", 1, 8, "'span' is"},
    {"row = 4", 1, 7, "'row' of a face is an array of tables, not a whole number"},
    {"row = [ 4 ]", 1, 9, "each of 'row' is a table, not a whole number"},
    {"[[row]]\ncells = { reading = \"a\" }", 2, 9, "'cells' of 'row' is an array of tables, not a table"},
    {"[[row]]\ncells = [ { as = \"text\" } ]", 2, 11, "a cell without 'reading'"},
    {"[[row]]\ncells = [ { reading = \"a\", as = \"graph\" } ]", 2, 33,
     "'graph' is no as; it is one of 'text', 'trace', 'text+trace'"},
    {"[[row]]\ncells = [ { reading = \"a\", unit = \"GHZz\" } ]", 2, 35, "'GHZz' is no unit; did you mean 'GHz'"},
    {"[[row]]\ncells = [ { reading = \"a\", digits = 1.5 } ]", 2, 37,
     "'digits' of 'cells' is a whole number, not a number"},
    {"[[row]]\ncells = [ { reading = \"a\", range = [40, 0] } ]", 2, 36,
     "'range' goes from a smaller to a larger number"},
    {"[[row]]\ncells = [ { reading = \"a\", range = [1] } ]", 2, 36, "'range' is two numbers like [0, 40]"},
    {"[[row]]\nrule = 1", 2, 8, "'rule' of 'row' is true or false, not a whole number"},
    {"[[row]]\ngap = -4", 2, 7, "'gap' of 'row' is from 0 to 400, not -4"},
    {"[[row]]\nback = { opacity = 2 }", 2, 20, "'opacity' of 'back' is from 0 to 1, not 2"},
    {"columns = 0\n[[row]]", 1, 11, "'columns' of a face is from 1 to 8, not 0"},
    {"lines = 1.5\n[[row]]", 1, 9, "'lines' of a face is a whole number, not a number"},
    {"text = { weight = \"fat\" }\n[[row]]", 1, 19, "'fat' is no weight; it is one of 'normal', 'bold'"},
    {"text = { scale = 0 }\n[[row]]", 1, 18, "'scale' of 'text' is from 0.25 to 8, not 0"},
    {"[[row]]\ncells = [ { reading = \"a\", align = \"rigth\" } ]", 2, 36,
     "'rigth' is no align; did you mean 'right'?"},
    {"[[row]]\ncells = [ { reading = \"a\", as = \"reel\" } ]", 2, 11, "a reel without 'sheet'"},
    {"[[row]]\ncells = [ { reading = \"a\", as = \"reel\", sheet = \"/etc/x.png\" } ]", 2, 49,
     "'sheet' stays in the face's folder, '/etc/x.png' does not"},
    {"[[row]]\ncells = [ { reading = \"a\", as = \"reel\", sheet = \"../x.png\" } ]", 2, 49,
     "copy the file beside the face"},
    {"[[row]]\ncells = [ { reading = \"a\", grid = [0, 2] } ]", 2, 35, "'grid' is how many columns and rows"},
    {"[[row]]\ncells = [ { reading = \"a\", grid = [2, 2], states = 5 } ]", 2, 52,
     "'states' of 'cells' is from 1 to 4, not 5"},
    {"[[pin]]\nat = [1, 2]", 1, 1, "a pin has one of 'text', 'reading', 'box' and 'picture'"},
    {"[[pin]]\ntext = \"a\"\nbox = [1, 2]\nat = [1, 2]", 1, 1, "a pin has one of"},
    {"[[pin]]\ntext = \"a\"", 1, 1, "a pin has 'at', two numbers"},
    {"[[pin]]\ntext = \"a\"\nat = [1]", 3, 6, "a pin has 'at', two numbers"},
    {"[[pin]]\ntext = \"a\"\nat = [1, 99999]", 3, 6, "'at' is within 4000"},
    {"[[pin]]\ntext = \"{gpu.load\"\nat = [1, 2]", 2, 8, "a '{' alone; write {reading} or {reading:.1f}"},
    {"[[pin]]\ntext = \"a } b\"\nat = [1, 2]", 2, 8, "a '}' alone"},
    {"[[pin]]\ntext = \"{gpu.load:q}\"\nat = [1, 2]", 2, 8, "'q' is no format; write it like .0f"},
    {"[[pin]]\ntext = \"{:.0f}\"\nat = [1, 2]", 2, 8, "a place without a reading"},
    {"[[pin]]\nbox = [0, 2]\nat = [1, 2]", 2, 7, "'box' is its width and height"},
    {"[[pin]]\npicture = \"a.png\"\nat = [1, 2]", 1, 1, "a picture has 'width' and 'height'"},
    {"[[pin]]\nreading = \"a\"\nas = \"text+trace\"\nat = [1, 2]", 3, 6, "a pin shows one thing"},
    {"[[pin]]\ntext = \"a\"\nat = [1, 2]\nlayer = \"top\"", 4, 9, "'top' is no layer; it is one of 'front', 'behind'"},
};

TEST(Face, EveryMistakeIsToldWithItsPlaceAndWhatIsRight) {
  for (const Broken& broken : kBroken) {
    const FaceReading reading = read_face(broken.text);
    EXPECT_FALSE(reading.face) << broken.text;
    ASSERT_FALSE(reading.findings.empty()) << broken.text;
    const Finding& finding = reading.findings.front();
    EXPECT_EQ(finding.line, broken.line) << broken.text << '\n' << finding.message;
    EXPECT_EQ(finding.column, broken.column) << broken.text << '\n' << finding.message;
    EXPECT_NE(finding.message.find(broken.words), std::string::npos) << broken.text << '\n' << finding.message;
  }
}

TEST(Face, AllMistakesAreToldAtOnceInTheirOrder) {
  const FaceReading reading =
      read_face("nmae = 1\ntext = { size = 1, colour = 2 }\n[[row]]\ncells = [ { raeding = \"a\" } ]\n");
  ASSERT_EQ(reading.findings.size(), 5u);
  EXPECT_EQ(to_string(reading.findings[0], "my.toml"),
            "my.toml:1:1: error: a face has no key 'nmae'; did you mean 'name'?");
  EXPECT_EQ(reading.findings[4].line, 4u);
}

TEST(Face, AFileThatCannotBeReadSaysSo) {
  const testing::Folder folder;
  for (const auto& file : {folder / "none.toml", folder.path()}) {
    try {
      (void)load_face(file);
      ADD_FAILURE() << file;
    } catch (const Error& error) {
      EXPECT_NE(std::string(error.what()).find("cannot read the face"), std::string::npos);
    }
  }
  EXPECT_THROW((void)load_face(folder.file("empty.toml", "")), Error);
}

// Laying out, with letters as wide as half their size.

class Blocks : public TextMeasure {
 public:
  TextExtent measure(const std::string& text, const TextStyle& style) override {
    return {static_cast<double>(text.size()) * style.size / 2, style.size * 0.8, style.size * 0.2};
  }
};

Snapshot values(double load, Value temp = 60.0) {
  auto list = std::make_shared<const ReadingList>(
      std::vector<ReadingInfo>{{"gpu.load", "", "", "Marl G9", DeviceKind::graphics, Unit::percent},
                               {"gpu.temp", "", "", "Marl G9", DeviceKind::graphics, Unit::celsius},
                               {"ram.used", "", "", "Memory", DeviceKind::memory, Unit::mebibyte}});
  return Snapshot(0, {std::make_shared<Batch>(Batch{list, {load, std::move(temp), 13'107.2}, 0})});
}

Scene scene_of(const std::string& toml, const Snapshot& snapshot, const History& history = History{}, int width = 1920,
               int height = 1080) {
  const FaceReading reading = read_face(toml);
  EXPECT_TRUE(reading.face) << (reading.findings.empty() ? "" : reading.findings[0].message);
  Blocks blocks;
  return lay_out(reading.face.value_or(Face{}), width, height, snapshot, history, blocks);
}

std::vector<TextShape> texts(const Scene& scene) {
  std::vector<TextShape> found;
  for (const Shape& shape : scene.shapes) {
    if (const auto* text = std::get_if<TextShape>(&shape)) found.push_back(*text);
  }
  return found;
}

constexpr const char* kFace =
    "text = { size = 20 }\n[[row]]\nlabel = \"GPU\"\ncells = [ { reading = \"gpu.load\" }, { reading = \"gpu.temp\", "
    "caution = 70, danger = 90 } ]\n"
    "[[row]]\nlabel = \"Memory\"\ncells = [ { reading = \"ram.used\", unit = \"GiB\", digits = 1 } ]\n";

TEST(Layout, ShowsLabelValueAndUnit) {
  const auto found = texts(scene_of(kFace, values(99)));
  std::vector<std::string> words;
  for (const TextShape& text : found) words.push_back(text.text);
  EXPECT_EQ(words, (std::vector<std::string>{"GPU", "99", "%", "60", "°C", "Memory", "12.8", "GiB"}));
  EXPECT_EQ(found[0].color, usual_color(DeviceKind::graphics));
  EXPECT_EQ(found[5].color, usual_color(DeviceKind::memory));
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

TEST(Layout, ATraceEndsAtTheRightWithTheNewestValue) {
  History history;
  for (int i = 0; i <= 20; ++i) history.add("gpu.load", i * kSecond, i);
  const Scene scene = scene_of(
      "[[row]]\ncells = [ { reading = \"gpu.load\", as = \"trace\", width = 200, height = 50, range = [0, 10], seconds "
      "= 10 } ]\n",
      values(1), history);
  const auto* trace = std::get_if<TraceShape>(&scene.shapes.back());
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

TEST(Layout, PinsStandWhereTheyAreToldInFrontOrBehind) {
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
  const FaceReading reading = read_face(
      "[[row]]\ncells = [ { reading = \"a.b\" }, { reading = \"c.d\" } ]\n[[pin]]\nat = [1, 1]\ntext = \"{e.f} "
      "{a.b:.0f}\"\n");
  EXPECT_EQ(readings_of(reading.face.value()), (std::vector<std::string>{"a.b", "c.d", "e.f"}));
}

TEST(CheckFace, WarnsOfWhatTheAuthorShouldKnow) {
  const struct {
    const char* text;
    std::uint32_t line;
    const char* words;
  } cases[] = {
      {"[[row]]\ncells = [ { reading = \"gpu.lod\" } ]", 2, "no reading 'gpu.lod' here; nearest: gpu.load"},
      {"[[pin]]\nat = [1, 1]\ntext = \"{ram.usd}\"", 1, "no reading 'ram.usd' here; nearest: ram.used"},
      {"[[row]]\nlabel = \"GPU\"\n[[row]]\nlabel = \"GPU\"", 3, "the same label, 'GPU', as the one in line 1"},
      {"text = { size = 300 }\n[[row]]\nlabel = \"Far too wide for any picture at all\"", 1,
       "reaches beyond a picture of 1280x720 (needs"},
      {"place = { dx = -50 }\n[[row]]\nlabel = \"x\"", 1, "reaches beyond a picture"},
      {"[[pin]]\nat = [10, 10]\ntext = \"first\"\n[[pin]]\nat = [12, 12]\ntext = \"second\"", 4,
       "this pin covers the one in line 1"},
      {"text = { color = \"#404858\" }\n[[row]]\nlabel = \"x\"", 1, "#404858 on #10141f has a contrast of 2.0:1"},
      {"[[row]]\nlabel = \"x\"\ncolor = \"#202020\"", 1, "is hard to read"},
      {"[[row]]\nlabel = \"x\"\nback = { color = \"#ffffff\" }\ncolor = \"#ffff80\"", 1, "#ffff80 on #ffffff"},
      {"text = { edge = \"none\" }\nback = { opacity = 0 }\n[[row]]\nlabel = \"x\"", 1,
       "neither a box behind the text nor an edge"}};
  for (const auto& c : cases) {
    const FaceReading reading = read_face(c.text);
    ASSERT_TRUE(reading.face) << c.text;
    Blocks blocks;
    const auto findings = check_face(*reading.face, values(1), blocks);
    ASSERT_EQ(findings.size(), 1u) << c.text << (findings.empty() ? "" : findings[1].message);
    EXPECT_EQ(findings[0].severity, Finding::Severity::warning);
    EXPECT_EQ(findings[0].line, c.line) << c.text;
    EXPECT_NE(findings[0].message.find(c.words), std::string::npos) << findings[0].message;
  }
  const FaceReading fine = read_face(
      "[[row]]\nlabel = \"GPU\"\ncells = [ { reading = \"gpu.load\" } ]\n[[pin]]\nat = [500, 500]\nbox = [90, "
      "90]\n[[pin]]\nat = [500, 500]\ntext = \"on its box\"\n");
  Blocks blocks;
  EXPECT_TRUE(check_face(fine.face.value(), values(1), blocks).empty());
}

TEST(History, KeepsTheLastWhile) {
  History history(2 * kSecond, 3);
  for (int i = 0; i < 10; ++i) history.add("a", i * kSecond, i);
  ASSERT_EQ(history.of("a")->size(), 3u);
  EXPECT_EQ(history.of("a")->front().value, 7);
  EXPECT_EQ(history.of("b"), nullptr);
}

}  // namespace
}  // namespace idlemeter
