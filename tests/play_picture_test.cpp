// What is on the screen while real programs are played. Run within xvfb-run.
#include "play_session.hpp"

namespace idlemeter {
namespace {

using namespace testing;

TEST(Play, BlendsOnVulkan) {
  const Session session;
  session.folder.file("box.toml",
                      "[[pin]]\nat = [108, 108]\nbox = [108, 54]\ncolor = \"#ff0000\"\nopacity = 0.5\nradius = 0\n");
  Playing playing(session, "vkcube", "--face box.toml");
  session.wait_for(has_frames);
  // The window is at 100, 100; its ground is (51, 51, 51).
  const Image screen = session.screen_where([](const Image& image) { return image.at(170, 160) == 0xff991919; });
  for (const auto& [x, y] : {std::pair{151, 151}, {198, 173}, {170, 160}})
    EXPECT_EQ(screen.at(x, y), 0xff991919) << x << ' ' << std::hex << screen.at(x, y);
  for (const auto& [x, y] : {std::pair{148, 160}, {202, 160}, {170, 148}, {170, 177}, {110, 110}})
    EXPECT_EQ(screen.at(x, y), 0xff333333) << x << ' ' << y;
}

TEST(Play, BlendsExactlyAndTouchesNothingElse) {
  const Session session;
  session.folder.file("boxes.toml", kBoxes);
  const std::string old = "env MESA_GL_VERSION_OVERRIDE=2.1 MESA_GLES_VERSION_OVERRIDE=2.0 ";
  const std::pair<std::string, const char*> cases[] = {{"", "compat"},     {old, "old"},       {"", "core"},
                                                       {old, "es2"},       {"", "es3"},        {"", "compat --odd"},
                                                       {"", "core --odd"}, {old, "old --odd"}, {old, "es2 --odd"}};
  for (const auto& [environment, api] : cases) {
    Playing playing(session, environment + kStill + " --pause 5 --frames 100000 --api " + api, "--face boxes.toml");
    session.wait_for(has_frames);
    expect_boxes(session, api);
  }
}

/// The game sees only compute queues, because the test's layer hides the others.
TEST(Play, BlendsOnVulkanWithoutGraphics) {
  const Session session;
  session.folder.file("boxes.toml", kBoxes);
  const std::string environment =
      "env VK_INSTANCE_LAYERS=VK_LAYER_IDLEMETER_overlay:VK_LAYER_TEST_compute_only:VK_LAYER_KHRONOS_validation "
      "VK_LAYER_ENABLES=VK_VALIDATION_FEATURE_ENABLE_SYNCHRONIZATION_VALIDATION_EXT ";
  ::setenv("VK_ADD_LAYER_PATH", TEST_LAYERS, 1);
  {
    Playing playing(session, environment + kStillVulkan + " --pause 5 --frames 100000", "--face boxes.toml");
    session.wait_for(has_frames);
    expect_boxes(session, "by a compute shader");
    EXPECT_EQ(session.tell("face benchmark").status, 0);
    EXPECT_EQ(session.tell("face boxes.toml").status, 0);
    expect_boxes(session, "with another picture in between");
  }
  EXPECT_EQ(text_of(session.folder / "game.txt"), "no graphics\n") << "no word of the validation layer";
  Playing playing(session, environment + kStillVulkan + " --pause 5 --frames 100000 --srgb", "--face boxes.toml");
  ::unsetenv("VK_ADD_LAYER_PATH");
  session.wait_for(has_frames);
  const auto is_blended = [](const Image& image) { return (image.at(30, 30) | 0x100) == 0xffbe3956; };  // rounded
  const Image screen = session.screen_where(is_blended);
  EXPECT_TRUE(is_blended(screen)) << std::hex << screen.at(30, 30);
  EXPECT_EQ(screen.at(70, 30), 0xff285078);
}

/// If the game's images take colours as linear light, the overlay is blended in linear light: half red over the ground
/// is encoded from (1 + 0.021) / 2, 0.080 / 2 and 0.188 / 2, with half as 128 / 255.
TEST(Play, BlendsOnVulkanInEachWindow) {
  const Session session;
  session.folder.file("boxes.toml", kBoxes);
  {
    Playing playing(session, std::string(kStillVulkan) + " --pause 5 --frames 100000", "--face boxes.toml");
    session.wait_for(has_frames);
    expect_boxes(session, "Vulkan");
  }
  Playing playing(session, std::string(kStillVulkan) + " --pause 5 --frames 100000 --windows 2 --srgb --submit2",
                  "--face boxes.toml");
  session.wait_for(has_frames);
  const Image screen = session.screen_where([](const Image& image) { return image.at(360, 30) == 0xffbe3956; });
  for (const int window : {0, 330}) {
    EXPECT_EQ(screen.at(window + 30, 30), 0xffbe3956) << window;
    EXPECT_EQ(screen.at(window + 110, 30), 0xffbec2cb) << window;
    EXPECT_EQ(screen.at(window + 70, 30), 0xff285078) << window;
  }
}

TEST(Play, TheGameOutlivesTheMeter) {
  const Session session;
  session.folder.file("boxes.toml", kBoxes);
  Playing playing(session, std::string(kStill) + " --pause 5 --frames 100000", "--face boxes.toml");
  const json state = session.wait_for(has_frames);
  const int game = state["games"][0].value("pid", 0);
  ASSERT_GT(game, 0);
  ::kill(playing.meter(), SIGSTOP);
  expect_nothing(session, "a silent meter shows nothing");
  ::kill(playing.meter(), SIGCONT);
  expect_boxes(session, "after a stop");
  ::kill(playing.meter(), SIGKILL);
  (void)playing.wait();
  expect_nothing(session, "without a meter");
  EXPECT_EQ(::kill(game, 0), 0) << "the game plays on";
  const pid_t again = ::fork();
  if (again == 0) {
    const std::string pid = std::to_string(game), face = (session.folder / "boxes.toml").string();
    ::execl(IDLEMETER_COMMAND, "idlemeter", "attach", pid.c_str(), "--quiet", "--face", face.c_str(), nullptr);
    ::_exit(127);
  }
  session.wait_for(has_frames);
  expect_boxes(session, "attached");
  ::kill(game, SIGKILL);
  int status = -1;
  ::waitpid(again, &status, 0);
  EXPECT_EQ(status, 0) << "the meter ends with the game";
}

TEST(Play, ABrokenFaceKeepsTheLastGoodOneWithALine) {
  const Session session;
  const auto file = session.folder.file("boxes.toml", kBoxes);
  Playing playing(session, std::string(kStill) + " --pause 5 --frames 100000", "--face boxes.toml");
  session.wait_for(has_frames);
  session.folder.file("boxes.toml", std::string(kBoxes) + "broken = ");
  const json state = session.wait_for([](const json& s) { return s["games"][0].contains("mistake"); });
  EXPECT_NE(state["games"][0].value("mistake", "").find("boxes.toml:13:"), std::string::npos) << state;
  const auto red_below = [](const Image& image) {
    int red = 0;
    for (int y = 40; y < 70; ++y) red += (image.at(26, y) & 0xff) < 60 && (image.at(26, y) >> 16 & 0xff) > 80 ? 1 : 0;
    return red;
  };
  const Image screen = session.screen_where([&](const Image& image) { return red_below(image) > 5; });
  EXPECT_EQ(screen.at(30, 30), 0xff94283c) << "the last good one";
  EXPECT_GT(red_below(screen), 5) << "a line below it";
  session.folder.file("boxes.toml", kBoxes);
  session.wait_for([](const json& s) { return !s["games"][0].contains("mistake"); });
  expect_boxes(session, "fixed");
}

}  // namespace
}  // namespace idlemeter
