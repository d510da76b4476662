// Faces changed as texts.
#include "idlemeter/face/face_text.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <random>
#include <sstream>

#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/face_editor.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/face/starters.hpp"

namespace idlemeter {
namespace {

namespace fs = std::filesystem;

constexpr const char* kFace = R"(# mine
name  = "Bench"   # of the corner
text.size = 22

# the card
[[row]]
label = "GPU"
cells = [
  { reading = "gpu.load" },  # busy
  { reading = "gpu.temp", caution = 83 }
]

[[row]]
label = "CPU"
cells = [ { reading = "cpu.load" }, { reading = "cpu.temp" } ]
[row.back]
opacity = 0.3

[[pin]] # the clock
at   = [40, 980]
text = "{clock.now:%H:%M}"
)";

struct Change {
  const char* name;
  void (*make)(FaceText&);
  const char* old_part;  // what of kFace becomes …
  const char* new_part;
};

const Change kChanges[] = {
    {"a value", [](FaceText& t) { t.set("face", "name", "Corner"); }, "\"Bench\"", "\"Corner\""},
    {"a text with quotes", [](FaceText& t) { t.set("face", "name", "a \"b\" \\ Ü"); }, "\"Bench\"",
     "\"a \\\"b\\\" \\\\ Ü\""},
    {"a text that looks like a number", [](FaceText& t) { t.set("GPU", "label", "780"); }, "\"GPU\"", "\"780\""},
    {"a dotted key", [](FaceText& t) { t.set("face", "text.size", "30"); }, "text.size = 22", "text.size = 30"},
    {"another of a dotted table", [](FaceText& t) { t.set("face", "text.edge", "outline"); }, "text.size = 22",
     "text.size = 22\ntext.edge = \"outline\""},
    {"a table that isn't there", [](FaceText& t) { t.set("face", "place.dx", "4"); }, "text.size = 22",
     "text.size = 22\nplace = { dx = 4 }"},
    {"a key of a row", [](FaceText& t) { t.set("row:2", "rule", "true"); }, "{ reading = \"cpu.temp\" } ]\n",
     "{ reading = \"cpu.temp\" } ]\nrule = true\n"},
    {"a key of a table with a header", [](FaceText& t) { t.set("CPU", "back.opacity", "1"); }, "opacity = 0.3",
     "opacity = 1"},
    {"another way to show it, without what only the old one has",
     [](FaceText& t) {
       t.set("GPU/gpu.load", "as", "trace");
       t.set("GPU/gpu.load", "seconds", "5");
       t.set("GPU/gpu.load", "as", "ring");
     },
     "{ reading = \"gpu.load\"", "{ reading = \"gpu.load\", as = \"ring\""},
    {"a key of a cell", [](FaceText& t) { t.set("GPU/gpu.load", "digits", "1"); }, "{ reading = \"gpu.load\" }",
     "{ reading = \"gpu.load\", digits = 1 }"},
    {"a list", [](FaceText& t) { t.set("pin:1", "at", "[1, 2]"); }, "[40, 980]", "[1, 2]"},
    {"unset in a cell", [](FaceText& t) { t.unset("GPU/2", "caution"); }, "\"gpu.temp\", caution = 83 }",
     "\"gpu.temp\" }"},
    {"unset a line", [](FaceText& t) { t.unset("face", "name"); }, "name  = \"Bench\"   # of the corner\n", ""},
    {"unset a dotted key", [](FaceText& t) { t.unset("face", "text.size"); }, "text.size = 22\n", ""},
    {"unset a table with a header", [](FaceText& t) { t.unset("CPU", "back"); }, "[row.back]\nopacity = 0.3\n\n", ""},
    {"a cell behind one with a comment", [](FaceText& t) { t.add_cell("GPU", "gpu.power"); }, "caution = 83 }\n",
     "caution = 83 },\n  { reading = \"gpu.power\" }\n"},
    {"a cell before another on its line", [](FaceText& t) { t.add_cell("GPU", "gpu.power", 1); },
     "  { reading = \"gpu.load\" }", "  { reading = \"gpu.power\" },\n  { reading = \"gpu.load\" }"},
    {"a cell between", [](FaceText& t) { t.add_cell("CPU", "cpu.power", 2); }, ", { reading = \"cpu.temp\"",
     ", { reading = \"cpu.power\" }, { reading = \"cpu.temp\""},
    {"a cell at the end", [](FaceText& t) { t.add_cell("CPU", "cpu.power"); }, "\"cpu.temp\" } ]",
     "\"cpu.temp\" }, { reading = \"cpu.power\" } ]"},
    {"a row behind the last", [](FaceText& t) { t.add_row("RAM", {"ram.used"}); }, "[[pin]] # the clock",
     "[[row]]\nlabel = \"RAM\"\ncells = [ { reading = \"ram.used\" } ]\n\n[[pin]] # the clock"},
    {"a row before the first",
     [](FaceText& t) {
       t.add_row("", {"a.b", "c"}, 1);
     },
     "# the card", "[[row]]\ncells = [ { reading = \"a.b\" }, { reading = \"c\" } ]\n\n# the card"},
    {"a pin", [](FaceText& t) { t.add_pin(1, 2.5, "reading", "cpu.load"); }, "%H:%M}\"\n",
     "%H:%M}\"\n\n[[pin]]\nat = [1, 2.5]\nreading = \"cpu.load\"\n"},
    {"without a cell", [](FaceText& t) { t.remove("GPU/gpu.load"); }, "  { reading = \"gpu.load\" },  # busy\n", ""},
    {"without the last cell", [](FaceText& t) { t.remove("CPU/2"); }, ", { reading = \"cpu.temp\" }", ""},
    {"without a pin", [](FaceText& t) { t.remove("pin:1"); },
     "[[pin]] # the clock\nat   = [40, 980]\ntext = \"{clock.now:%H:%M}\"\n", ""},
    {"a cell to another row", [](FaceText& t) { t.move("CPU/cpu.temp", "GPU/1"); }, nullptr, nullptr},
    {"a row and its comment", [](FaceText& t) { t.move("GPU", "2"); }, nullptr, nullptr},
};

TEST(FaceText, ChangesOnlyWhatItIsAskedTo) {
  for (const Change& c : kChanges) {
    FaceText text(kFace);
    c.make(text);
    if (c.old_part == nullptr) continue;
    std::string wanted = kFace;
    ASSERT_NE(wanted.find(c.old_part), std::string::npos) << c.name;
    wanted.replace(wanted.find(c.old_part), std::string(c.old_part).size(), c.new_part);
    EXPECT_EQ(text.toml(), wanted) << c.name;
  }
}

TEST(FaceText, MovesRowsWithTheirCommentsAndTables) {
  FaceText text(kFace);
  text.move("CPU", "1");
  const auto face = parse_face(text.toml()).face;
  ASSERT_TRUE(face);
  EXPECT_EQ(face->rows[0].label, "CPU");
  EXPECT_TRUE(face->rows[0].back);
  EXPECT_FALSE(face->rows[1].back);
  EXPECT_NE(text.toml().find("# the card\n[[row]]\nlabel = \"GPU\""), std::string::npos) << text.toml();
  text.move("CPU/cpu.temp", "GPU/1");
  text.move("GPU/cpu.temp", "2");
  const auto moved = parse_face(text.toml()).face;
  ASSERT_TRUE(moved);
  EXPECT_EQ(moved->rows[1].cells[1].reading, "cpu.temp");
  EXPECT_EQ(moved->rows[1].cells[2].caution, 83);
  EXPECT_EQ(moved->rows[0].cells.size(), 1u);
}

TEST(FaceText, RefusesWhatWouldMakeTheFaceWorse) {
  const struct {
    void (*make)(FaceText&);
    const char* words;
  } cases[] = {
      {[](FaceText& t) { t.set("GPU", "colr", "#112233"); }, "'row' has no key 'colr'; did you mean 'color'?"},
      {[](FaceText& t) { t.set("GPU/1", "digits", "two"); }, "'digits' of 'cells' is a whole number, not a string"},
      {[](FaceText& t) { t.set("face", "back.opacity", "7"); }, "'opacity' of 'back' must be from 0 to 1, not 7"},
      {[](FaceText& t) { t.set("CPU", "back", "3"); }, "'back' is a table of its own here; set its keys"},
      {[](FaceText& t) { t.remove("GPUU"); }, "there is no row 'GPUU'; did you mean 'GPU'"},
      {[](FaceText& t) { t.remove("row:3"); }, "there is no row 'row:3'; it has row:1 to row:2"},
      {[](FaceText& t) { t.remove("GPU/gpu.laod"); },
       "there is no cell 'gpu.laod' in that row; did you mean 'gpu.load'"},
      {[](FaceText& t) { t.remove("pin:2"); }, "there is no pin 2"},
      {[](FaceText& t) { t.remove("face"); }, "can't be removed from itself"},
      {[](FaceText& t) { t.move("GPU", "up"); }, "'up' isn't a place for it"},
      {[](FaceText& t) { t.unset("GPU", "gap"); }, "there is no 'gap' to remove"},
      {[](FaceText& t) { t.add_pin(1, 2, "txet", "a"); }, "did you mean 'text'"},
  };
  for (const auto& c : cases) {
    FaceText text(kFace);
    try {
      c.make(text);
      ADD_FAILURE() << c.words;
    } catch (const Error& error) {
      EXPECT_NE(std::string(error.what()).find(c.words), std::string::npos) << error.what();
    }
    EXPECT_EQ(text.toml(), kFace) << c.words;
  }
  FaceText broken("[[row]]\nlabel = 7\nrul = true\n");
  broken.set("row:1", "label", "GPU");
  EXPECT_EQ(broken.toml(), "[[row]]\nlabel = \"GPU\"\nrul = true\n") << "a broken face can be fixed";
  EXPECT_THROW(FaceText("[[row"), Error);
}

TEST(FaceToml, IsReadBackAsTheSameFace) {
  std::vector<std::string> texts = {kFace, R"(
name = "All \"keys\""
place = { anchor = "bottom-right", dx = -4, dy = 20.5 }
text = { font = "Serif", size = 22, scale = 1.5, weight = "bold", units = "raised", color = "device", edge = "none" }
back = { color = "#01020304", opacity = 0.4, radius = 3 }
flow = "columns"
columns = 3
lines = 2
span = "2.5 s"
palette = "beacon"
colors = { own = "#010203", memory = "#040506" }
[[row]]
label = "ü"
color = "#8fd694cc"
gap = 3.5
rule = true
back = { opacity = 0.1 }
cells = [ { reading = "a", as = "text+trace", title = "t", unit = "GiB", unit_text = "", digits = 2, align = "centre", color = "#112233", caution = -1.5, danger = 1e9, width = 44, height = 5.5, range = [-1, 0.5], seconds = 3, span = "cleared" } ]
[[pin]]
at = [1.5, -2]
text = "{{x}} {frame.low@1%:.1f} {clock.now:%H:%M} {a}"
size = 30
weight = "bold"
layer = "behind"
color = "#123456"
[[pin]]
at = [1, 2]
box = [3, 4]
opacity = 0.2
radius = 2
[[pin]]
at = [1, 2]
picture = "a.png"
width = 30
height = 9
[[pin]]
at = [1, 2]
reading = "a"
as = "reel"
sheet = "b.png"
grid = [4, 2]
states = 7
)"};
  for (const Starter& starter : starters()) texts.emplace_back(starter.toml);
  for (const std::string& text : texts) {
    const FaceParse first = parse_face(text);
    ASSERT_TRUE(first.face) << to_string(first.findings.at(0), text);
    const std::string written = to_toml(*first.face);
    const FaceParse second = parse_face(written);
    ASSERT_TRUE(second.face) << to_string(second.findings.at(0), written);
    EXPECT_EQ(to_toml(*second.face), written);
    EXPECT_EQ(readings_of(*second.face), readings_of(*first.face));
  }
  // Every key of the second text is written again.
  const std::string written = to_toml(*parse_face(texts[1]).face);
  for (const char* key : {"anchor",
                          "dx",
                          "dy",
                          "font",
                          "size",
                          "scale",
                          "weight",
                          "units = \"raised\"",
                          "edge",
                          "opacity",
                          "radius",
                          "flow",
                          "columns",
                          "lines",
                          "span",
                          "palette",
                          "own",
                          "memory",
                          "label",
                          "gap",
                          "rule",
                          "text+trace",
                          "title",
                          "unit = \"GiB\"",
                          "unit_text = \"\"",
                          "digits",
                          "centre",
                          "caution = -1.5",
                          "danger",
                          "height = 5.5",
                          "range = [-1, 0.5]",
                          "seconds",
                          "cleared",
                          "{{x}} {frame.low@1%:.1f} {clock.now:%H:%M} {a}",
                          "behind",
                          "box = [3, 4]",
                          "a.png",
                          "sheet",
                          "grid = [4, 2]",
                          "states = 7",
                          "#8fd694cc"})
    EXPECT_NE(written.find(key), std::string::npos) << key << "\n" << written;
}

TEST(FaceEditor, ChangesInOneStepAndGoesBack) {
  const testing::Folder folder;
  const FaceEditor editor(folder.file("mine.toml", kFace));
  const auto added = editor.edit([](FaceText& face) {
    add_to(face, {.readings = {"ram.used", "cpu.clock"}, .keys = {{"caution", "90"}}, .row = "GPU", .before = 2});
    add_to(face, {.readings = {"gpu.power"}, .at = std::pair(40.0, 800.0)});
  });
  EXPECT_EQ(added.before, kFace);
  const auto parts = face_parts(*parse_face(added.after).face);
  const auto find = [&](const std::string& name) {
    return *std::find_if(parts.begin(), parts.end(), [&](const FacePart& part) { return part.name == name; });
  };
  EXPECT_EQ(find("GPU/2").reading, "ram.used");
  EXPECT_EQ(find("GPU/3").about, "caution 90");
  EXPECT_EQ(find("GPU/4").reading, "gpu.temp");
  EXPECT_EQ(find("pin:2").about.substr(0, 10), "at 40, 800");
  EXPECT_EQ(editor.undo().after, kFace);
  EXPECT_EQ(editor.redo().after, added.after);
  EXPECT_THROW((void)editor.redo(), Error);
  EXPECT_THROW((void)editor.edit([](FaceText& face) { add_to(face, {.keys = {{"as", "trace"}}}); }), Error);
  EXPECT_EQ(editor.undo().before, added.after) << "what failed changed nothing";
}

TEST(ChangedLines, AreThoseThatTheOtherTextLacks) {
  std::mt19937 random(3);
  for (int turn = 0; turn < 100; ++turn) {
    std::string before, after;
    for (std::string* text : {&before, &after}) {
      for (std::size_t i = random() % 8; i > 0; --i)
        *text += std::string(1, static_cast<char>('a' + random() % 4)) + "\n";
    }
    // Walks through both texts: lines outside of the differences are the same.
    std::istringstream from(before), to(after);
    std::string old_line, new_line;
    std::size_t at = 1;
    const auto pass_common = [&](std::size_t until) {
      for (; at < until && std::getline(to, new_line); ++at) {
        std::getline(from, old_line);
        EXPECT_EQ(old_line, new_line) << before << "->\n" << after;
      }
    };
    for (const ChangedLines& stretch : changed_lines(before, after)) {
      pass_common(stretch.at);
      for (const ChangedLines::Line& line : stretch.lines) {
        std::getline(line.is_added ? to : from, line.is_added ? new_line : old_line);
        EXPECT_EQ(line.text, line.is_added ? new_line : old_line) << before << "->\n" << after;
        at += line.is_added ? 1 : 0;
      }
    }
    pass_common(1'000);
    EXPECT_FALSE(std::getline(from, old_line)) << before << "->\n" << after;
  }
}

}  // namespace
}  // namespace idlemeter
