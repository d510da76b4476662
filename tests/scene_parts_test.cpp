// Where the parts of a face are in its picture.
#include <gtest/gtest.h>

#include <algorithm>
#include <string>
#include <vector>

#include "idlemeter/face/check_face.hpp"
#include "idlemeter/face/face_text.hpp"
#include "idlemeter/face/scene.hpp"
#include "idlemeter/face/terminal_view.hpp"
#include "laid_out.hpp"

namespace idlemeter {
namespace {

using namespace testing;

TEST(SceneParts, AreFoundWhereTheyAreDrawn) {
  const std::string toml = std::string(kFace) +
                           "[[pin]]\nat = [1500, 20]\nbox = [200, 60]\nlayer = \"behind\"\n"
                           "[[pin]]\nat = [1520, 30]\ntext = \"hello\"\n";
  const Scene scene = scene_of(toml, values(9));
  std::vector<std::string> names;
  for (const PartArea& area : scene.parts) names.push_back(to_string(area.part));
  EXPECT_EQ(names,
            (std::vector<std::string>{"pin:1", "face", "row:1", "row:1/1", "row:1/2", "row:2", "row:2/1", "pin:2"}));
  const struct {
    const char* text;
    const char* part;
  } cases[] = {{"GPU", "row:1"}, {"9", "row:1/1"}, {"60", "row:1/2"}, {"12.8", "row:2/1"}, {"hello", "pin:2"}};
  for (const auto& c : cases) {
    const auto shown = texts(scene);
    const auto text = std::find_if(shown.begin(), shown.end(), [&](const TextShape& t) { return t.text == c.text; });
    ASSERT_NE(text, shown.end()) << c.text;
    const auto part = scene.part_at({text->x + 1, text->baseline - 1});
    ASSERT_TRUE(part) << c.text;
    EXPECT_EQ(to_string(*part), c.part) << c.text;
    FaceText(toml).remove(c.part);  // the name is one that changes take
  }
  EXPECT_EQ(to_string(scene.part_at({1'690, 75}).value_or(PartId{})), "pin:1") << "beside the text, the box";
  EXPECT_EQ(to_string(scene.part_at({scene.bounds.x + 1, scene.bounds.y + 1}).value_or(PartId{.pin = 9})), "face");
  EXPECT_FALSE(scene.part_at({5, 1'075}));
}

/// The other rows keep their numbers, in the picture and in the terminal.
TEST(SceneParts, HaveNoneOfARowWhoseReadingsTheMachineLacks) {
  const auto face_with = [](const char* reading) {
    return std::string(
               "[[row]]\nlabel = \"Battery\"\noptional = true\ncells = [ { reading = \"battery.charge\" }, { reading "
               "= \"") +
           reading + "\" } ]\n[[row]]\nlabel = \"GPU\"\nrule = true\ncells = [ { reading = \"gpu.load\" } ]\n";
  };
  const struct {
    const char* reading;
    std::vector<std::string> parts;
    std::string in_terminal;
    std::size_t warnings;
  } cases[] = {{"battery.power", {"face", "row:2", "row:2/1"}, "GPU   50 %\n", 0},
               {"gpu.temp",
                {"face", "row:1", "row:1/1", "row:1/2", "row:2", "row:2/1"},
                "Battery      –   60 °C\n\nGPU       50 %\n",
                1}};
  for (const auto& c : cases) {
    const std::string toml = face_with(c.reading);
    const Face face = *parse_face(toml).face;
    std::vector<std::string> parts;
    for (const PartArea& area : scene_of(toml, values(50)).parts) parts.push_back(to_string(area.part));
    EXPECT_EQ(parts, c.parts);
    EXPECT_EQ(to_terminal(face, values(50), History{}, {100, TerminalStyle::Colors::none}), c.in_terminal);
    Blocks blocks;
    EXPECT_EQ(check_face(face, values(50), blocks).size(), c.warnings);
  }
}

}  // namespace
}  // namespace idlemeter
