// Faces changed as texts, kept, chosen and shared.
#include "idlemeter/face/face_text.hpp"

#include <gtest/gtest.h>

#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/draw/write_starter.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/face_bundle.hpp"
#include "idlemeter/face/face_file.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/face/kept_faces.hpp"
#include "idlemeter/face/starters.hpp"
#include "idlemeter/settings/chosen_face.hpp"
#include "idlemeter/settings/settings.hpp"

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
  const auto face = read_face(text.toml()).face;
  ASSERT_TRUE(face);
  EXPECT_EQ(face->rows[0].label, "CPU");
  EXPECT_TRUE(face->rows[0].back);
  EXPECT_FALSE(face->rows[1].back);
  EXPECT_NE(text.toml().find("# the card\n[[row]]\nlabel = \"GPU\""), std::string::npos) << text.toml();
  text.move("CPU/cpu.temp", "GPU/1");
  text.move("GPU/cpu.temp", "2");
  const auto moved = read_face(text.toml()).face;
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
    const FaceReading first = read_face(text);
    ASSERT_TRUE(first.face) << to_string(first.findings.at(0), text);
    const std::string written = to_toml(*first.face);
    const FaceReading second = read_face(written);
    ASSERT_TRUE(second.face) << to_string(second.findings.at(0), written);
    EXPECT_EQ(to_toml(*second.face), written);
    EXPECT_EQ(readings_of(*second.face), readings_of(*first.face));
  }
  // Every key of the second text is written again.
  const std::string written = to_toml(*read_face(texts[1]).face);
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

TEST(FaceFile, UndoesAndRedoes) {
  const testing::Folder folder;
  const fs::path file = folder.file("a.toml", "one");
  FaceFile face(file, folder / "past");
  EXPECT_FALSE(face.undo());
  face.write("two");
  face.write("three");
  folder.file("a.toml", "by hand");
  face.write("four");
  std::vector<std::string> seen;
  while (FaceFile(file, folder / "past").undo()) seen.push_back(face.text());
  EXPECT_EQ(seen, (std::vector<std::string>{"by hand", "two", "one"}));
  EXPECT_TRUE(face.redo());
  EXPECT_EQ(face.text(), "two");
  face.write("five");
  EXPECT_FALSE(face.redo()) << "a new change ends what could be redone";
  EXPECT_THROW(FaceFile(folder / "none.toml", folder / "past").write("x"), Error);
}

TEST(FaceChoice, IsTheFirstRuleThatFitsElseTheDefault) {
  const auto reading = read_settings(R"(face = "calm"
[[game]]
program = "tidepool*"
face = "bench"
[[game]]
program = "*/Games/*"
face = "thermals"
)");
  ASSERT_TRUE(reading.settings);
  const struct {
    const char* executable;
    const char* face;
  } cases[] = {{"/opt/TidepoolRally", "bench"},
               {"/home/otter/Games/reef", "thermals"},
               {"/home/otter/Games/tidepool.exe", "bench"},
               {"/usr/bin/reef", "calm"},
               {"", "calm"}};
  for (const auto& c : cases) EXPECT_EQ(face_for(*reading.settings, c.executable)->face, c.face) << c.executable;
  EXPECT_FALSE(face_for(Settings{}, "/opt/TidepoolRally"));
}

TEST(FaceChoice, ChangesTheSettingsInPlace) {
  EXPECT_EQ(with_face_chosen("", "calm"), "face = \"calm\"\n");
  const std::string settings = "# mine\npace = \"1 s\" # slow\n\n[[computed]]\nid = \"own.a\"\nformula = \"1\"\n";
  const std::string chosen = with_face_chosen(settings, "bench", "tidepool*");
  EXPECT_EQ(chosen, settings + "\n[[game]]\nprogram = \"tidepool*\"\nface = \"bench\"\n");
  EXPECT_EQ(with_face_chosen(chosen, "night", "tidepool*"),
            settings + "\n[[game]]\nprogram = \"tidepool*\"\nface = \"night\"\n");
  EXPECT_EQ(with_face_chosen(settings, "calm").find("# mine\npace = \"1 s\" # slow\nface = \"calm\"\n"), 0u);
}

TEST(FaceBundle, UnpacksAsItWas) {
  const testing::Folder folder;
  const fs::path face = folder / "dash.toml", bundle = folder / "dash.zip", kept = folder / "faces";
  write_starter(*find_starter("dashboard"), face);
  pack_face(face, bundle);
  EXPECT_THROW(pack_face(face, bundle), Error) << "never overwrites";
  const fs::path unpacked = unpack_face(bundle, "dash", kept);
  EXPECT_EQ(testing::text_of(unpacked), testing::text_of(face));
  EXPECT_EQ(testing::text_of(kept / "dash/gauge.png"), testing::text_of(folder / "gauge.png"));
  EXPECT_EQ(kept_face("dash", kept), unpacked);
  EXPECT_THROW((void)unpack_face(bundle, "dash", kept), Error) << "the name is taken";
  for (const char* name : {"", ".", "..", "a/b", ".hidden"})
    EXPECT_THROW((void)unpack_face(bundle, name, kept), Error) << name;
  fs::remove(folder / "gauge.png");
  EXPECT_THROW(pack_face(face, folder / "b.zip"), Error);
  folder.file("gauge.png", "no picture");
  EXPECT_THROW(pack_face(face, folder / "b.zip"), Error);
  EXPECT_FALSE(fs::exists(folder / "b.zip"));
}

/// A ZIP file made by python3's zipfile, which writes any name.
fs::path zip_of(const testing::Folder& folder, const std::string& python) {
  const fs::path
      file = folder / "made.zip",
      script = folder.file(
          "make.py",
          "import zipfile, struct\nz = zipfile.ZipFile('" + file.string() +
              "', 'w', zipfile.ZIP_DEFLATED)\nface = '[[pin]]\\nat=[1,2]\\npicture=\"a.png\"\\nwidth=9\\nheight=9\\n'\n"
              "png = b'\\x89PNG\\r\\n\\x1a\\n\\0\\0\\0\\rIHDR' + struct.pack('>II', 4, 4) + b'\\x08\\x06' + b'\\0' * "
              "20\n" +
              python + "\nz.close()\n");
  EXPECT_EQ(std::system(("/usr/bin/python3 '" + script.string() + "'").c_str()), 0) << python;
  return file;
}

TEST(FaceBundle, IsCheckedBeforeAnythingIsWritten) {
  const struct {
    const char* python;
    const char* words;
  } cases[] = {
      {"z.writestr('a.png', png)", "holds no face.toml"},
      {"z.writestr('face.toml', face)", "the face shows 'a.png', which isn't in it"},
      {"z.writestr('face.toml', 'x = ')", "face.toml:1:"},
      {"z.writestr('face.toml', face); z.writestr('a.png', 'text')", "isn't a PNG"},
      {"z.writestr('face.toml', face); z.writestr('a.png', png.replace(struct.pack('>I', 4), struct.pack('>I', "
       "90000)))",
       "has 90000 x 90000 pixels"},
      {"z.writestr('face.toml', face); z.writestr('a.png', png.replace(struct.pack('>I', 4), struct.pack('>I', 8000)))",
       "has 8000 x 8000 pixels, too many"},
      {"z.writestr('face.toml', 'a' + '.a' * 100000 + ' = 1')", "nested deeper than 32 levels"},
      {"z.writestr('face.toml', face); z.writestr('a.png', png); z.writestr('b.sh', 'x')",
       "nothing that the face shows"},
      {"z.writestr('../../evil', 'x')", "'../../evil' in it isn't a plain file"},
      {"z.writestr('/tmp/evil', 'x')", "in it isn't a plain file"},
      {"z.writestr('a/../../evil', 'x')", "in it isn't a plain file"},
      {"i = zipfile.ZipInfo('a.png'); i.create_system = 3; i.external_attr = 0o120777 << 16; z.writestr(i, "
       "'/etc/passwd')",
       "isn't a plain file"},
      {"z.writestr('a.png', b'0' * (20 << 20))", "is too large"},
      {"[z.writestr(f'{i}.png', png) for i in range(80)]", "more than 64 pictures"},
  };
  for (const auto& c : cases) {
    const testing::Folder folder;
    const fs::path bundle = zip_of(folder, c.python), kept = folder / "in/faces";
    try {
      (void)unpack_face(bundle, "taken-in", kept);
      ADD_FAILURE() << c.python;
    } catch (const Error& error) {
      EXPECT_NE(std::string(error.what()).find(c.words), std::string::npos) << c.python << '\n' << error.what();
    }
    EXPECT_FALSE(fs::exists(folder / "in")) << c.python;
  }
  const testing::Folder folder;
  EXPECT_THROW((void)unpack_face(folder.file("x.zip", "no archive at all"), "x", folder / "faces"), Error);
  EXPECT_THROW((void)unpack_face(folder / "none.zip", "x", folder / "faces"), Error);
  const fs::path good = zip_of(folder, "z.writestr('face.toml', face); z.writestr('a.png', png)");
  EXPECT_EQ(unpack_face(good, "x", folder / "faces"), folder / "faces/x/face.toml");
}

}  // namespace
}  // namespace idlemeter
