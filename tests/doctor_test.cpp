// What the doctor says of machines with something missing, and what shells and the manual are told of the command.
#include <unistd.h>

#include <filesystem>
#include <nlohmann/json.hpp>
#include <string>

#include "command.hpp"

namespace idlemeter {
namespace {

using namespace testing;

constexpr const char* kNoDisplay =
    "DISPLAY= WAYLAND_DISPLAY= DBUS_SESSION_BUS_ADDRESS=unix:path=/nowhere PULSE_SERVER=unix:/nowhere ";

nlohmann::json check_of(const nlohmann::json& all, const std::string& id) {
  for (const auto& check : all["checks"]) {
    if (check["id"] == id) return check;
  }
  return {};
}

TEST(Doctor, SaysWhatEachMachineLacksAndWhatFixesIt) {
  const Folder folder;
  folder.file("nothing/proc/none", "");
  folder.file("wrong/settings.toml", "pace = \"often\"\n");
  folder.file("wrong/runs.db", "no store");
  const auto button = [&](const char* file, const std::string& device) {
    folder.file(file, "[[button]]\ndevice = \"" + device + "\"\npress = \"BTN_MODE\"\n");
  };
  button("pad.toml", "/dev/null");
  button("gone.toml", "/dev/input/nowhere");
  button("file.toml", (folder / "pad.toml").string());
  const struct {
    const char *arguments, *id, *health, *finding, *fix;
  } cases[] = {
      {"", "display.session", "fails", "neither WAYLAND_DISPLAY nor DISPLAY is set", "desktop session"},
      {"", "display.keys", "limited", "no X11 display", "the desktop's own settings"},
      {"", "games.opengl", "works", "the probe loads", ""},
      {"", "recording.settings", "works", "the defaults", ""},
      {"", "recording.store", "works", "will be made by the first recording", ""},
      {"", "recording.tones", "limited", "no sound server", "start the service"},
      {"", "recording.notifications", "limited", "the session bus can't be reached", "start the service"},
      {"--rig desktop", "readings.graphics", "works", "gpu.load, gpu.temp, gpu.clock, gpu.power", ""},
      {"--rig laptop", "readings.processor", "works", "cpu.power", ""},
      {"--rig handheld", "readings.graphics", "works", "gpu.power", ""},
      {"--rig proprietary", "readings.graphics", "works", "gpu.temp", ""},
      {"--rig hot", "readings.processor", "works", "cpu.temp", ""},
      {"--rig bare", "readings.graphics", "limited", "missing: gpu.load", ""},
      {"--root nothing", "readings.processor", "limited", "missing: cpu.load", ""},
      {"--root nothing", "readings.energy", "works", "this machine has none", ""},
      {"--settings wrong/settings.toml", "recording.settings", "fails", "wrong/settings.toml", "correct the file"},
      {"--settings pad.toml", "display.buttons", "works", "/dev/null can be read", ""},
      {"--settings gone.toml", "display.buttons", "limited", "/dev/input/nowhere: No such file", "plug it in"},
      {"--settings file.toml", "display.buttons", "limited", "it isn't a device", "name another device"},
      {"--store wrong/runs.db", "recording.store", "fails", "wrong/runs.db", "name another store"},
  };
  for (const auto& c : cases) {
    const Outcome outcome = run(folder, std::string("doctor --json ") + c.arguments, kNoDisplay);
    EXPECT_EQ(outcome.status, 1) << c.arguments << ": there is no display";
    const auto check = check_of(nlohmann::json::parse(outcome.out, nullptr, false), c.id);
    ASSERT_TRUE(check.is_object()) << c.id << '\n' << outcome.out << outcome.err;
    EXPECT_EQ(check["health"], c.health) << c.arguments << check;
    EXPECT_NE(check["finding"].get<std::string>().find(c.finding), std::string::npos) << c.arguments << check;
    EXPECT_NE(check["fix"].get<std::string>().find(c.fix), std::string::npos) << c.arguments << check;
    EXPECT_FALSE(*c.fix == '\0' && check["health"] == "fails") << c.id << ": what fails has a fix";
  }
  const std::string words = run(folder, "doctor", kNoDisplay).out;
  for (const char* heading : {"Games\n", "\nDisplay\n", "\nReadings\n", "\nRecording\n", "\nTools\n", "-> "})
    EXPECT_NE(words.find(heading), std::string::npos) << words;
}

TEST(Doctor, NamesWhatOnlyRootMayRead) {
  if (::geteuid() != 0) GTEST_SKIP() << "only root can make a file for root";
  const Folder folder;
  const auto counter = folder.file("tree/sys/class/powercap/intel-rapl:0/energy_uj", "1000\n");
  folder.file("tree/proc/none", "");
  std::filesystem::permissions(counter, std::filesystem::perms::owner_read);
  for (auto place = counter.parent_path(); place != folder.path().parent_path(); place = place.parent_path())
    std::filesystem::permissions(place, std::filesystem::perms(0755));
  const std::string root = (folder / "tree").string();
  const auto energy = [&](const char* variables) {
    return check_of(nlohmann::json::parse(run(folder, "doctor --json --store /dev/null --root " + root, variables).out,
                                          nullptr, false),
                    "readings.energy");
  };
  EXPECT_EQ(energy(kNoDisplay)["health"], "works");
  const std::string as_nobody = std::string(kNoDisplay) + "setpriv --reuid=65534 --regid=65534 --clear-groups ";
  if (run(folder, "--version", as_nobody).status != 0) GTEST_SKIP() << "only root may run the command from here";
  const auto check = energy(as_nobody.c_str());
  EXPECT_EQ(check["health"], "limited") << check;
  EXPECT_EQ(check["finding"], "only root may read " + counter.string());
}

TEST(Definitions, CompleteWhatStandsThere) {
  const Folder folder;
  EXPECT_EQ(run(folder,
                "demo --brief --folder . >/dev/null && mkdir -p .local/share/idlemeter && cp runs.db "
                ".local/share/idlemeter/")
                .status,
            0);
  const struct {
    const char *words, *there, *absent;
  } cases[] = {{"pl", "play\tPlay a game", "compare"},
               {"''", "doctor\tLook at", "--version"},
               {"face ''", "draw\tDraw a face", "play"},
               {"play --f", "--face\tA kept face", "--quiet"},
               {"play --face be", "benchmark\tface", "rate\t"},
               {"play --quiet ''", ":commands", "benchmark"},
               {"play -- ''", ":commands", "--quiet"},
               {"runs show ''", "2\tTidepool Rally", "--store"},
               {"runs --game ''", "Tidepool Rally\tgame", "1\t"},
               {"runs --store ''", ":files", "show"},
               {"readings ram.u", "ram.used\t", "cpu"},
               {"settings set keys.", "keys.show\tshow or hide the overlay", "pace"},
               {"settings set pace ''", ":files", "pace\t"},
               {"--", "--version\t", "tell"}};
  for (const auto& c : cases) {
    const Outcome outcome = run(folder, std::string("complete -- ") + c.words);
    EXPECT_EQ(outcome.status, 0) << outcome.err;
    EXPECT_NE(outcome.out.find(c.there), std::string::npos) << c.words << '\n' << outcome.out;
    EXPECT_EQ(outcome.out.find(c.absent), std::string::npos) << c.words << '\n' << outcome.out;
  }
}

TEST(Definitions, MakeAPageOfTheManualForEachCommand) {
  const Folder folder;
  EXPECT_EQ(run(folder, "man pages").status, 0);
  const std::string all = text_of(folder / "pages/idlemeter.1");
  const std::string help = run(folder, "--help").out;
  for (const char* command : {"play", "tell", "desk", "readings", "face", "runs", "doctor", "settings"}) {
    const std::string page = text_of(folder / "pages" / ("idlemeter-" + std::string(command) + ".1"));
    EXPECT_EQ(page.find(".TH IDLEMETER\\-"), 0u) << command;
    EXPECT_NE(page.find(".SH OPTIONS\n"), std::string::npos) << command;
    EXPECT_EQ(page.find(folder.path().string()), std::string::npos) << "another's home is of no use";
    EXPECT_NE(all.find(std::string("idlemeter\\-") + command), std::string::npos) << command;
  }
  EXPECT_NE(text_of(folder / "pages/idlemeter-play.1").find("\\fB\\-\\-end\\-game\\fR"), std::string::npos);
  EXPECT_NE(text_of(folder / "pages/idlemeter-runs.1").find(".SS idlemeter runs export\n"), std::string::npos);
}

}  // namespace
}  // namespace idlemeter
