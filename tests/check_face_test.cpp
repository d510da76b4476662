// What is said of a face that can be read but could be better.
#include "idlemeter/face/check_face.hpp"

#include "idlemeter/base/finding.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/face_text.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "laid_out.hpp"

namespace idlemeter {
namespace {

using namespace testing;

TEST(CheckFace, WarnsOfLikelyMistakes) {
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
    const FaceParse reading = parse_face(c.text);
    ASSERT_TRUE(reading.face) << c.text;
    Blocks blocks;
    const auto findings = check_face(*reading.face, values(1), blocks);
    ASSERT_EQ(findings.size(), 1u) << c.text << (findings.empty() ? "" : findings[1].message);
    EXPECT_EQ(findings[0].severity, Finding::Severity::warning);
    EXPECT_EQ(findings[0].line, c.line) << c.text;
    EXPECT_NE(findings[0].message.find(c.words), std::string::npos) << findings[0].message;
  }
}

TEST(CheckFace, KnowsTheChangeThatPutsThingsRight) {
  const struct {
    const char* text;
    const char* part;
    const char* words;
  } cases[] = {
      {"[[row]]\ncells = [ { reading = \"gpu.lod\" } ]", "row:1/1", "use gpu.load"},
      {"[[pin]]\nat = [1, 1]\nreading = \"gpu.lod\"", "pin:1", "use gpu.load"},
      {"[[row]]\ncells = [ { reading = \"gpu.load\", span = \"10 s\" } ]", "row:1/1", "remove the span"},
      {"[[row]]\nlabel = \"x\"\ncolor = \"#202020\"", "row:1", "take the usual colour"},
      {"text = { edge = \"none\" }\nback = { opacity = 0 }\n[[row]]\nlabel = \"x\"", "face", "give it an edge"}};
  Blocks blocks;
  for (const auto& c : cases) {
    const auto before = check_face(parse_face(c.text).face.value(), values(1), blocks);
    ASSERT_TRUE(before.at(0).fix) << c.text;
    const Finding::Fix fix = *before[0].fix;
    EXPECT_EQ(fix.words, c.words);
    FaceText text(c.text);
    if (fix.value) text.set(c.part, fix.key, *fix.value);
    if (!fix.value) text.unset(c.part, fix.key);
    EXPECT_TRUE(check_face(parse_face(text.toml()).face.value(), values(1), blocks).empty()) << text.toml();
  }
}

TEST(CheckFace, SaysNothingOfAGoodFace) {
  const FaceParse fine = parse_face(
      "[[row]]\nlabel = \"GPU\"\ncells = [ { reading = \"gpu.load\" } ]\n[[pin]]\nat = [500, 500]\nbox = [90, "
      "90]\n[[pin]]\nat = [500, 500]\ntext = \"on its box\"\n");
  Blocks blocks;
  EXPECT_TRUE(check_face(fine.face.value(), values(1), blocks).empty());
}

}  // namespace
}  // namespace idlemeter
