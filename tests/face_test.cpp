#include "idlemeter/face/face.hpp"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <sys/stat.h>

#include <functional>

#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/finding.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/face/color.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/frames/span.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/settings/settings.hpp"

namespace idlemeter {
namespace {

TEST(Face, ReadsWhatTheFileSays) {
  const FaceParse reading = parse_face(R"(
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
  ASSERT_NE(cells[2].trace(), nullptr);
  EXPECT_TRUE(cells[2].trace()->with_text);
  EXPECT_EQ(cells[2].trace()->range, (std::pair<double, double>{0, 40}));
}

struct Broken {
  const char* text;
  std::uint32_t line, column;
  const char* words;
};

constexpr Broken kBroken[] = {
    {"", 1, 1, "a face without rows or pins; begin one with [[row]]"},
    {"name = \"a", 1, 10, ""},
    {"näme = \"a\"", 1, 2, "a character that TOML takes only in quotes or after #"},
    {"name = \"\"\"a\\\n  é\"\"\"", 2, 3, "a letter beyond ASCII can't follow a \\ here"},
    {"name = 07x\"é\"", 1, 12, "a character that TOML takes only in quotes or after #"},
    {"name = \"\"\"a\\ é", 1, 14, "a letter beyond ASCII can't follow a \\ here"},
    {"name = \"ö\" # ü\n  ß = 1", 2, 3, "a character that TOML takes only"},
    {"name = \"\"\"ö\n\\\"\"\"\" é", 2, 7, "a character that TOML takes only"},
    {"name = 'ö\\' é", 1, 13, "a character that TOML takes only"},
    {"name = \"\"\"a\"\"\"\"\nnmae = \"ö\"\n[[row]]", 2, 1, "a face has no key 'nmae'"},
    {"[[row]\nlabel = 1", 1, 7, ""},
    {"nmae = \"a\"\n[[row]]", 1, 1, "a face has no key 'nmae'; did you mean 'name'?"},
    {"[[rows]]", 1, 3, "did you mean 'row'?"},
    {"name = 3\n[[row]]", 1, 8, "'name' of a face is a string, not a whole number"},
    {"place = \"top\"\n[[row]]", 1, 9, "'place' of a face is a table like { … }, not a string"},
    {"place = { anchor = \"top-rihgt\" }\n[[row]]", 1, 20, "'anchor' can't be 'top-rihgt'; did you mean 'top-right'"},
    {"place = { anchr = \"top\" }\n[[row]]", 1, 11, "'place' has no key 'anchr'; did you mean 'anchor'?"},
    {"text = { size = 0 }\n[[row]]", 1, 17, "'size' of 'text' must be from 4 to 400, not 0"},
    {"text = { size = nan }\n[[row]]", 1, 17, "'size' of 'text' must be from 4 to 400, not nan"},
    {"text = { edge = \"glow\" }\n[[row]]", 1, 17, "'edge' can't be 'glow'; it is one of 'none', 'shadow', 'outline'"},
    {"text = { color = \"red\" }\n[[row]]", 1, 18, "'red' isn't a colour; write it like \"#8fd694\""},
    {"back = { opacity = 55 }\n[[row]]", 1, 20, "'opacity' of 'back' must be from 0 to 1, not 55"},
    {"flow = \"stacked\"\n[[row]]", 1, 8, "'flow' can't be 'stacked'; did you mean 'stack'?"},
    {"flow = 1\n[[row]]", 1, 8, "'flow' of a face is a string, not a whole number"},
    {"span = \"forever\"\n[[row]]", 1, 8, "'span' is \"recording\", \"cleared\" or a time"},
    {"span = \"10 m\"\n[[row]]", 1, 8, "'span' is"},
    {"row = 4", 1, 7, "'row' of a face is an array of tables, not a whole number"},
    {"row = [ 4 ]", 1, 9, "each of 'row' is a table, not a whole number"},
    {"[[row]]\ncells = { reading = \"a\" }", 2, 9, "'cells' of 'row' is an array of tables, not a table"},
    {"[[row]]\ncells = [ { as = \"text\" } ]", 2, 11, "a cell without 'reading'"},
    {"[[row]]\ncells = [ { reading = \"a\", as = \"graph\" } ]", 2, 33,
     "'as' can't be 'graph'; it is one of 'text', 'trace', 'text+trace'"},
    {"[[row]]\ncells = [ { reading = \"a\", unit = \"GHZz\" } ]", 2, 35, "'GHZz' isn't a unit; did you mean 'GHz'"},
    {"[[row]]\ncells = [ { reading = \"a\", digits = 1.5 } ]", 2, 37,
     "'digits' of 'cells' is a whole number, not a number"},
    {"[[row]]\ncells = [ { reading = \"a\", as = \"ring\", range = [40, 0] } ]", 2, 49,
     "'range' goes from a smaller to a larger number"},
    {"[[row]]\ncells = [ { reading = \"a\", as = \"ring\", range = [1] } ]", 2, 49,
     "'range' is two numbers like [0, 40]"},
    {"[[row]]\nrule = 1", 2, 8, "'rule' of 'row' is true or false, not a whole number"},
    {"[[row]]\ngap = -4", 2, 7, "'gap' of 'row' must be from 0 to 400, not -4"},
    {"[[row]]\nback = { opacity = 2 }", 2, 20, "'opacity' of 'back' must be from 0 to 1, not 2"},
    {"columns = 0\n[[row]]", 1, 11, "'columns' of a face must be from 1 to 8, not 0"},
    {"lines = 1.5\n[[row]]", 1, 9, "'lines' of a face is a whole number, not a number"},
    {"text = { weight = \"fat\" }\n[[row]]", 1, 19, "'weight' can't be 'fat'; it is one of 'normal', 'bold'"},
    {"text = { scale = 0 }\n[[row]]", 1, 18, "'scale' of 'text' must be from 0.25 to 8, not 0"},
    {"[[row]]\ncells = [ { reading = \"a\", align = \"rigth\" } ]", 2, 36,
     "'align' can't be 'rigth'; did you mean 'right'?"},
    {"[[row]]\ncells = [ { reading = \"a\", as = \"reel\" } ]", 2, 11, "a reel without 'sheet'"},
    {"[[row]]\ncells = [ { reading = \"a\", as = \"reel\", sheet = \"/etc/x.png\" } ]", 2, 49,
     "'sheet' stays in the face's folder, '/etc/x.png' does not"},
    {"[[row]]\ncells = [ { reading = \"a\", as = \"reel\", sheet = \"../x.png\" } ]", 2, 49,
     "copy the file beside the face"},
    {"[[row]]\ncells = [ { reading = \"a\", as = \"reel\", grid = [0, 2], sheet = \"x\" } ]", 2, 48,
     "'grid' is how many columns and rows"},
    {"[[row]]\ncells = [ { reading = \"a\", as = \"ring\", grow = true } ]", 2, 48,
     "'grow' is for a trace, but this is shown as \"ring\"; remove it, or change 'as'"},
    {"[[row]]\ncells = [ { reading = \"a\", range = [0, 1] } ]", 2, 36, "'range' is for a trace, a ring or a reel"},
    {"[[row]]\ncells = [ { reading = \"a\", as = \"reel\", sheet = \"x\", grid = [2, 2], states = 5 } ]", 2, 78,
     "'states' of 'cells' must be from 1 to 4, not 5"},
    {"[[pin]]\nat = [1, 2]", 1, 1, "a pin has one of 'text', 'reading', 'box' and 'picture'"},
    {"[[pin]]\ntext = \"a\"\nbox = [1, 2]\nat = [1, 2]", 1, 1, "a pin has one of"},
    {"[[pin]]\ntext = \"a\"", 1, 1, "a pin has 'at', two numbers"},
    {"[[pin]]\ntext = \"a\"\nat = [1]", 3, 6, "a pin has 'at', two numbers"},
    {"[[pin]]\ntext = \"a\"\nat = [1, 99999]", 3, 6, "'at' is within 4000"},
    {"[[pin]]\ntext = \"{gpu.load\"\nat = [1, 2]", 2, 8, "a '{' alone; write {reading} or {reading:.1f}"},
    {"[[pin]]\ntext = \"a } b\"\nat = [1, 2]", 2, 8, "a '}' alone"},
    {"[[pin]]\ntext = \"{gpu.load:q}\"\nat = [1, 2]", 2, 8, "'q' isn't a format; write it like .0f"},
    {"[[pin]]\ntext = \"{:.0f}\"\nat = [1, 2]", 2, 8, "a place without a reading"},
    {"[[pin]]\nbox = [0, 2]\nat = [1, 2]", 2, 7, "'box' is its width and height"},
    {"[[pin]]\npicture = \"a.png\"\nat = [1, 2]", 1, 1, "a picture has 'width' and 'height'"},
    {"[[pin]]\nreading = \"a\"\nas = \"text+trace\"\nat = [1, 2]", 3, 6, "a pin shows one thing"},
    {"[[pin]]\ntext = \"a\"\nat = [1, 2]\nlayer = \"top\"", 4, 9,
     "'layer' can't be 'top'; it is one of 'front', 'behind'"},
};

TEST(Face, EveryMistakeIsReportedWithItsPlaceAndTheFix) {
  for (const Broken& broken : kBroken) {
    const FaceParse reading = parse_face(broken.text);
    EXPECT_FALSE(reading.face) << broken.text;
    ASSERT_FALSE(reading.findings.empty()) << broken.text;
    const Finding& finding = reading.findings.front();
    EXPECT_EQ(finding.line, broken.line) << broken.text << '\n' << finding.message;
    EXPECT_EQ(finding.column, broken.column) << broken.text << '\n' << finding.message;
    EXPECT_NE(finding.message.find(broken.words), std::string::npos) << broken.text << '\n' << finding.message;
  }
}

TEST(Face, AllMistakesAreReportedAtOnceInOrder) {
  const FaceParse reading =
      parse_face("nmae = 1\ntext = { size = 1, colour = 2 }\n[[row]]\ncells = [ { raeding = \"a\" } ]\n");
  ASSERT_EQ(reading.findings.size(), 5u);
  EXPECT_EQ(to_string(reading.findings[0], "my.toml"),
            "my.toml:1:1: error: a face has no key 'nmae'; did you mean 'name'?");
  EXPECT_EQ(reading.findings[4].line, 4u);
}

std::string times(std::size_t n, const std::string& text) {
  std::string all;
  for (std::size_t i = 0; i < n; ++i) all += text;
  return all;
}

/// Each at its limit, and one beyond.
TEST(Face, ValuesUpToTheLimitsAreTakenAndNoMore) {
  using namespace limits;
  const std::string cell = "{ reading = \"a\" }, ", row = "[[row]]\ncells = [ { reading = \"a\" } ]\n";
  const auto in_row = [](const std::string& cells) { return "[[row]]\ncells = [ " + cells + " ]\n"; };
  const auto deep = [](std::size_t n) { return times(n, "[") + times(n, "]"); };
  const struct {
    std::size_t most;
    std::function<std::string(std::size_t)> face;
    const char* words;
  } cases[] = {
      {kRows, [&](std::size_t n) { return times(n, row); }, "a face has 201 of 'row'; up to 200 are taken"},
      {kCells, [&](std::size_t n) { return in_row(times(n - 9, cell)) + in_row(times(9, cell)); },
       "1001 cells and pins"},
      {kPins, [](std::size_t n) { return times(n, "[[pin]]\nat = [1, 2]\nbox = [9, 9]\n"); }, "201 of 'pin'"},
      {kTraces, [&](std::size_t n) { return in_row(times(n, "{ reading = \"a\", as = \"trace\" }, ")); }, "65 traces"},
      {kSpans,
       [&](std::size_t n) {
         std::string cells;
         for (std::size_t i = 1; i <= n; ++i) cells += fmt::format("{{ reading = \"frame.average@{} s\" }}, ", i);
         return in_row(cells);
       },
       "17 different spans"},
      {kTextCharacters, [](std::size_t n) { return "[[pin]]\nat = [1, 2]\ntext = \"" + times(n, "é") + "\""; },
       "a text of 1001 characters; up to 1000"},
      {kFormatNumber, [](std::size_t n) { return fmt::format("[[pin]]\nat = [1, 2]\ntext = \"{{a:{}.1f}}\"", n); },
       "'61.1f' is too wide"},
      {kFormatNumber, [](std::size_t n) { return fmt::format("[[pin]]\nat = [1, 2]\ntext = \"{{a:.{}f}}\"", n); },
       "'.61f' is too wide"},
      {kTomlBytes, [&](std::size_t n) { return row + "#" + times(n - row.size() - 1, "x"); }, "up to 256 are taken"},
      {kTomlNesting, [&](std::size_t n) { return row + "x = " + deep(n); }, "nested deeper than 32 levels"},
      {kTomlNesting, [&](std::size_t n) { return row + "x" + times(n, ".a") + " = 1"; },
       "nested deeper than 32 levels"},
      {kTomlNesting, [&](std::size_t n) { return "[x" + times(n, ".\"a\"") + "]"; }, "nested deeper than 32 levels"},
  };
  for (const auto& c : cases) {
    const auto says = [&](std::size_t n) {
      for (const Finding& finding : parse_face(c.face(n)).findings) {
        if (finding.message.find(c.words) != std::string::npos) return true;
      }
      return false;
    };
    EXPECT_FALSE(says(c.most)) << c.words;
    EXPECT_TRUE(says(c.most + 1)) << c.words << '\n' << parse_face(c.face(c.most + 1)).findings.at(0).message;
  }
}

TEST(Settings, ValuesUpToTheLimitsAreTakenAndNoMore) {
  const auto readings = [](std::size_t n, const std::string& what) {
    std::string text;
    for (std::size_t i = 0; i < n; ++i)
      text += fmt::format("[[{}]]\nid = \"own.r{}\"\n{}\n", what, i,
                          what == "command" ? "run = [\"a\"]" : "formula = \"1\"");
    return parse_settings(text);
  };
  for (const std::string what : {"computed", "command"}) {
    EXPECT_TRUE(readings(limits::kOwnReadings, what).settings) << what;
    EXPECT_NE(readings(limits::kOwnReadings + 1, what).findings.at(0).message.find("has 201 of '" + what + "'"),
              std::string::npos);
  }
}

TEST(Face, AFloodOfMistakesIsCut) {
  const testing::Folder folder;
  const auto says = [&](std::size_t mistakes) {
    std::string text;
    for (std::size_t i = 0; i < mistakes; ++i) text += fmt::format("x{} = 1\n", i);
    try {
      (void)load_face(folder.file("a.toml", text));
    } catch (const Error& error) {
      return std::string(error.what());
    }
    return std::string();
  };
  EXPECT_EQ(says(limits::kFindings).find("more"), std::string::npos);
  EXPECT_NE(says(limits::kFindings + 7).find("… and 7 more"), std::string::npos);
}

TEST(Face, ATextThatWouldExhaustStackOrMemoryIsRefused) {
  for (const std::string& text :
       {"a" + times(100'000, ".a") + " = 1", times(100'000, "["), "x = " + times(100'000, "{a="),
        "[" + times(100'000, "a.") + "a]", times(20'000, "[[row]]\n"),
        std::string("[[pin]]\nat = [1, 2]\ntext = \"{cpu.load:.999999999f}\""),
        std::string("[[pin]]\nat = [1, 2]\ntext = \"{clock.now:999999999%H}\"")}) {
    EXPECT_FALSE(parse_face(text).face) << text.substr(0, 40);
    EXPECT_FALSE(parse_settings(text).settings) << text.substr(0, 40);
  }
}

TEST(Face, AFileThatCannotBeReadSaysSo) {
  const testing::Folder folder;
  ASSERT_EQ(::mkfifo((folder / "pipe.toml").c_str(), 0600), 0);
  for (const std::filesystem::path& file :
       {folder / "none.toml", folder.path(), folder / "pipe.toml", std::filesystem::path("/dev/zero")}) {
    try {
      (void)load_face(file);
      ADD_FAILURE() << file;
    } catch (const Error& error) {
      EXPECT_NE(std::string(error.what()).find("cannot read the face"), std::string::npos);
    }
  }
  EXPECT_THROW((void)load_face(folder.file("empty.toml", "")), Error);
}

}  // namespace
}  // namespace idlemeter
