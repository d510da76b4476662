// What games do to their contexts, windows and children while the overlay is on them. Run within xvfb-run.
#include "play_session.hpp"

namespace idlemeter {
namespace {

using namespace testing;

TEST(Play, SurvivesWhatGamesDo) {
  const Session session;
  const struct {
    const char* ways;
    int frames;
  } cases[] = {{"--contexts 200 --frames 5", 1000},
               {"--contexts 50 --frames 5 --api es2", 250},
               {"--resizes 100 --frames 500 --pause 1", 500},
               {"--threads --frames 400 --pause 1", 800},
               {"--threads --frames 400 --pause 1 --api es2", 800},
               {"--forks --closes --frames 400 --pause 2", 400}};
  for (const auto& c : cases) {
    const Outcome outcome = session.play(std::string(kStill) + " " + c.ways, "--face benchmark");
    EXPECT_EQ(outcome.status, 0) << c.ways << '\n' << outcome.text;
    EXPECT_NE(outcome.text.find(": " + std::to_string(c.frames) + " frames"), std::string::npos) << c.ways << '\n'
                                                                                                 << outcome.text;
  }
}

TEST(Play, SurvivesWhatGamesDoInVulkan) {
  const Session session;
  for (const auto& [ways, frames] : {std::pair{"--swapchains 200 --frames 5", "1000"},
                                     {"--windows 2 --threads --frames 300 --pause 1", "600"},
                                     {"--windows 2 --submit2 --srgb --frames 200 --pause 1", "400"}}) {
    const Outcome outcome = session.play(std::string(kValidated) + kStillVulkan + ' ' + ways, "--face benchmark");
    const std::string says = "presented " + std::string(frames) + "\nidlemeter: still_vulkan, Vulkan 1.3, 320x240: ";
    EXPECT_EQ(outcome.text.find(says + frames + " frames in"), 0u) << ways << '\n' << outcome.text;
  }
}

TEST(Play, LeavesEveryChildOfAScriptAlone) {
  const Session session;
  const std::string script =
      "sh -c 'for i in $(seq 100); do echo $i | cat | grep -q . || echo broken; done; "
      "find /proc/self/fd -lname \"socket*\"; exec " +
      std::string(kStill) + " --frames 50'";
  const Outcome outcome = session.play(script);
  EXPECT_EQ(outcome.text.find("presented 50\nright\nidlemeter: still_game, "), 0u) << outcome.text;
}

}  // namespace
}  // namespace idlemeter
