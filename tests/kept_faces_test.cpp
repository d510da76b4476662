// Faces kept as files, chosen for games and shared.
#include "idlemeter/face/kept_faces.hpp"

#include <gtest/gtest.h>

#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/draw/face_library.hpp"
#include "idlemeter/draw/face_preview.hpp"
#include "idlemeter/draw/write_starter.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/face_bundle.hpp"
#include "idlemeter/face/face_file.hpp"
#include "idlemeter/face/face_text.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/face/starters.hpp"
#include "idlemeter/settings/chosen_face.hpp"
#include "idlemeter/settings/settings.hpp"

namespace idlemeter {
namespace {

namespace fs = std::filesystem;

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
  const auto reading = parse_settings(R"(face = "calm"
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

TEST(ChosenFace, IsWrittenIntoSettingsAndNeverOverWhatCannotBeRead) {
  const testing::Folder folder;
  choose_face(folder / "new/settings.toml", "calm");
  EXPECT_EQ(testing::text_of(folder / "new/settings.toml"), "face = \"calm\"\n");
  const std::string large = "# " + std::string(limits::kTomlBytes, 'x') + "\nface = \"mine\"\n";
  for (const std::string& text : {large, std::string("face = [\n"), std::string("face = 7\n")}) {
    const auto file = folder.file("settings.toml", text);
    EXPECT_THROW(choose_face(file, "calm"), Error);
    EXPECT_EQ(testing::text_of(file), text);
  }
}

std::string problem_of(const auto& call) {
  try {
    (void)call();
  } catch (const Error& error) {
    return error.problem();
  }
  return "";
}

TEST(FaceLibrary, FindsFilesKeptFacesAndStarters) {
  const testing::Folder folder;
  const fs::path kept = folder / "faces";
  FaceLibrary faces(kept);
  const fs::path mine = faces.add("mine", *find_starter("strip"));
  EXPECT_EQ(mine, kept / "mine.toml");
  EXPECT_EQ(faces.add("dash", *find_starter("dashboard")), kept / "dash" / "face.toml") << "with its pictures";
  EXPECT_EQ(faces.names().at(0), "dash");
  EXPECT_EQ(faces.names().at(1), "mine");
  EXPECT_EQ(faces.file_of("mine"), mine);
  EXPECT_EQ(faces.own_file_of("mine"), mine);
  EXPECT_EQ(faces.file_of("./other.toml"), "./other.toml") << "a file, there or not";
  fs::path written;
  {
    FaceLibrary others(kept);
    written = others.file_of("strip");
    EXPECT_EQ(written, others.file_of("strip"));
    EXPECT_EQ(FaceFile(written).text(), find_starter("strip")->toml);
  }
  EXPECT_FALSE(fs::exists(written)) << "gone with the library";
  FaceLibrary later(folder / "later");
  (void)later.file_of("strip");
  const fs::path own = later.add("strip", *find_starter("rate"));
  EXPECT_EQ(later.own_file_of("strip"), own) << "one's own comes first";
  EXPECT_EQ(problem_of([&] { return faces.own_file_of("strip"); }), "'strip' is a starter");
  EXPECT_EQ(problem_of([&] { return faces.file_of("mien"); }), "there is no face 'mien'; did you mean 'mine'?");
  for (const char* name : {"mine", "dash"})
    EXPECT_EQ(problem_of([&] { return faces.add(name, *find_starter("strip")); }), "already exists") << name;
  EXPECT_EQ(problem_of([&] { return faces.add(".hidden", *find_starter("strip")); }),
            "'.hidden' can't be the name of a face");
}

TEST(FaceLibrary, CopiesFacesWithTheirPicturesAndOverwritesNothing) {
  const testing::Folder folder;
  FaceLibrary faces(folder / "faces");
  const auto copied = faces.copy("dashboard", "mine");
  EXPECT_EQ(copied.pictures, pictures_of(faces.load("mine")).size());
  EXPECT_GT(copied.pictures, 0u);
  EXPECT_EQ(FaceFile(copied.file).text(), find_starter("dashboard")->toml);
  EXPECT_EQ(problem_of([&] { return faces.copy("strip", "mine"); }), "already exists");
  const std::string beside = (folder / "faces" / "mine" / "second.toml").string();
  EXPECT_EQ(problem_of([&] { return faces.copy("mine", beside); }), "already exists") << "its pictures are there";
  faces.pack("mine", folder / "mine.zip");
  FaceLibrary others(folder / "others");
  const fs::path theirs = others.unpack(folder / "mine.zip", "theirs");
  EXPECT_EQ(theirs, others.file_of("theirs"));
}

TEST(FacePreview, ShowsTheFaceAndSaysWhatItCannot) {
  const testing::Folder folder;
  const fs::path file = folder.file("a.toml",
                                    "[[row]]\nlabel = \"GPU\"\ncells = [ { reading = \"gpu.load\" } ]\n"
                                    "[[row]]\noptional = true\ncells = [ { reading = \"battery.charge\" } ]\n"
                                    "[[pin]]\nat = [10, 10]\npicture = \"gone.png\"\nwidth = 9\nheight = 9\n");
  Painter painter;
  const FacePreview preview = preview_face(load_face(file), Image(640, 480), Snapshot(), History(), painter);
  EXPECT_TRUE(preview.fits);
  EXPECT_EQ(preview.unknown, std::vector<std::string>{"gpu.load"});
  ASSERT_EQ(preview.problems.size(), 1u);
  EXPECT_NE(preview.problems[0].find("gone.png"), std::string::npos);
  EXPECT_EQ(preview.scene.parts.size(), 4u) << "the box, a row, a cell, a pin";
  EXPECT_NE(preview.image.pixels, Image(640, 480).pixels);
  const fs::path wide = folder.file("wide.toml", "[[pin]]\nat = [1400, 10]\nbox = [100, 100]\n");
  EXPECT_FALSE(preview_face(load_face(wide), Image(640, 480), Snapshot(), History(), painter).fits);
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
