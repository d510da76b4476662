// Faces kept as files, chosen for games and shared.
#include "idlemeter/face/kept_faces.hpp"

#include <gtest/gtest.h>

#include "folder.hpp"
#include "idlemeter/base/error.hpp"
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
