#include "idlemeter/settings/settings.hpp"

#include <gtest/gtest.h>

#include <thread>
#include <vector>

#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/finding.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/computed_readings.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/settings/settings_text.hpp"

namespace idlemeter {
namespace {

using namespace std::chrono_literals;

TEST(Settings, ReadWhatTheFileSays) {
  const SettingsParse reading = parse_settings(R"(
pace = "1 s"
paces = { hwmon = "2 s", feed = "100 ms" }
facts = { "cpu.name" = "Corvid 8" }
[[computed]]
id = "own.efficiency"
title = "Frames per joule"
formula = "frame.rate / gpu.power"
unit = "frames/J"
[[computed]]
id = "own.power.calm"
of = "gpu.power"
take = "most"
over = "10 s"
digits = 0
[[command]]
id = "own.preset"
run = ["cat", "/tmp/preset"]
text = true
every = "500 ms"
[[command]]
id = "own.jobs"
shell = "ls | wc -l"
limit = "1 s"
[feed]
socket = "/run/user/1000/x/feed.sock"
age = "3 s"
[recording]
overlay = "hidden"
results = "r.csv"
figures = "publish"
[cues]
start = ["speech", "tone", "speech"]
mark = []
[figures]
publish = ["frame.average", "gpu.temp most"]
)");
  ASSERT_TRUE(reading.settings) << to_string(reading.findings.at(0), "settings");
  const Settings& s = *reading.settings;
  EXPECT_EQ(s.pace, 1s);
  EXPECT_EQ(s.paces.at("hwmon"), 2s);
  EXPECT_EQ(s.facts.at("cpu.name"), "Corvid 8");
  ASSERT_EQ(s.computed.size(), 2u);
  EXPECT_EQ(s.computed[0].info.unit, Unit::frames_per_joule);
  EXPECT_EQ(s.computed[1].take, ComputedReading::Take::most);
  EXPECT_EQ(s.computed[1].over, 10s);
  ASSERT_EQ(s.commands.size(), 2u);
  EXPECT_EQ(s.commands[0].command, (std::vector<std::string>{"cat", "/tmp/preset"}));
  EXPECT_TRUE(s.commands[0].info.text);
  EXPECT_EQ(s.commands[1].command, (std::vector<std::string>{"/bin/sh", "-c", "ls | wc -l"}));
  EXPECT_EQ(s.feed->age, 3s);
  EXPECT_TRUE(s.recording.hides_overlay);
  EXPECT_EQ(s.figures.at(s.recording.figures), (std::vector<std::string>{"frame.average", "gpu.temp most"}));
  EXPECT_EQ(s.cues.start, (std::vector<CueWay>{CueWay::speech, CueWay::tone}));
  EXPECT_TRUE(s.cues.mark.empty());
  EXPECT_EQ(s.cues.failure, CueChoices().failure) << "as usual";
}

TEST(Settings, EveryMistakeIsReportedWithItsPlaceAndTheFix) {
  const struct {
    const char* text;
    std::uint32_t line;
    const char* words;
  } cases[] = {
      {"pase = \"1 s\"", 1, "the settings has no key 'pase'; did you mean 'pace'"},
      {"pace = \"50 ms\"", 1, "'pace' must be a time from 100 ms to 60 s in quotes"},
      {"pace = 500", 1, "'pace' must be a time"},
      {"paces = { hwmon = \"1 h\" }", 1, "the pace of 'hwmon' is a time"},
      {"facts = 3", 1, "'facts' is a table"},
      {"[facts]\ncpu.name = \"x\"", 2, "the fact 'cpu' is a string, not a table; quote its id"},
      {"[[computed]]\nformula = \"1\"", 1, "a reading without 'id'"},
      {"[[computed]]\nid = \"Own Reading\"\nformula = \"1\"", 2, "'Own Reading' isn't an id"},
      {"[[computed]]\nid = \"own.a\"", 1, "either 'formula' or 'of'"},
      {"gpu_time = \"sometimes\"", 1, "it is one of 'auto', 'on', 'off'"},
      {"[[computed]]\nid = \"own.a\"\nformula = \"v0*1000+own.b\"", 3, "'v0' is neither a reading nor a function"},
      {"[[computed]]\nid = \"own.a\"\nformula = \"mix(1, own.b)\"", 3, "did you mean 'max' or 'min'"},
      {"[[computed]]\nid = \"own.a\"\nformula = \"1\"\n[[command]]\nid = \"own.a\"\nrun = [\"a\"]", 5,
       "two readings 'own.a'"},
      {"[[computed]]\nid = \"own.a\"\nformula = \"gpu.load *\"", 3, "cannot read the formula 'gpu.load *'"},
      {"[[computed]]\nid = \"own.a\"\nof = \"gpu.load\"\ntake = \"men\"", 4,
       "'take' can't be 'men'; did you mean 'mean'"},
      {"[keys]\nshow = \"F9\"\nface = \"f9\"", 3, "'show' and 'face' have the same key 'f9'"},
      {"[keys]\nrecord = \"alt+ctrl+c\"", 2, "'clear' and 'record' have the same key 'Ctrl+Alt+C'"},
      {"[keys]\nshow = \"Hyper+F9\"", 2, "'Hyper+F9' isn't a key; write it like"},
      {"[[button]]\ndevice = \"/dev/input/event0\"\npress = \"BTN_MODE+BTN_MOD\"", 3, "did you mean 'BTN_MODE'"},
      {"[[button]]\ndevice = \"event0\"\npress = \"BTN_MODE\"", 1, "'device', a whole path"},
      {"[[game]]\nprogram = \"a\"", 1, "a game has 'program', a pattern like"},
      {"[[computed]]\nid = \"own.a\"\nformula = \"1\"\nunit = \"MHzz\"", 4, "'MHzz' isn't a unit; did you mean 'MHz'"},
      {"[[command]]\nid = \"own.a\"", 1, "either 'run', without a shell, or 'shell'"},
      {"[[command]]\nid = \"own.a\"\nrun = \"ls\"", 3, "'run' is an array of strings"},
      {"[[command]]\nid = \"own.a\"\nrun = [\"ls\"]\nshell = \"ls\"", 1, "either 'run'"},
      {"[feed]\nage = \"never\"", 2, "'age' must be a time"},
      {"[cues]\nstart = \"tone\"", 2, "'start' is an array of \"tone\", \"notification\" and \"speech\""},
      {"[cues]\nend = [\"toot\"]", 2, "[] for no cue"},
      {"[recording]\nfigures = \"mine\"", 2, "there is no set 'mine'; add it as mine = "},
      {"[figures]\nmine = []", 2, "the set 'mine' is an array of ids"},
      {"[figures]\n\"a.b\" = [\"frame.average\"]", 2, "its name has no '.' or ','"},
      {"pace = ", 1, ""}};
  for (const auto& c : cases) {
    const SettingsParse reading = parse_settings(c.text);
    ASSERT_FALSE(reading.settings) << c.text;
    bool told = false;
    for (const Finding& finding : reading.findings)
      told = told || (finding.line == c.line && finding.message.find(c.words) != std::string::npos);
    EXPECT_TRUE(told) << c.text << '\n' << to_string(reading.findings.at(0), "got");
  }
}

TEST(SettingsText, ChangesWhatIsSaidAndNothingElse) {
  const std::string mine = "# mine\npace = \"1 s\"  # slow\n\n[recording]\ntags = [\"cool\"]  # always\n";
  SettingsText text(mine);
  text.set("pace", "2 s");
  text.set("recording.overlay", "hidden");
  text.set("recording.tags", "[\"hot\"]");
  text.set("cues.start", "[]");
  text.set("store", "C:\\runs \"of\" mine.db");
  const auto reading = parse_settings(text.toml());
  ASSERT_TRUE(reading.settings) << text.toml();
  EXPECT_EQ(reading.settings->pace, 2 * kSecond);
  EXPECT_TRUE(reading.settings->recording.hides_overlay);
  EXPECT_EQ(reading.settings->recording.tags, std::vector<std::string>{"hot"});
  EXPECT_TRUE(reading.settings->cues.start.empty());
  EXPECT_EQ(reading.settings->store, "C:\\runs \"of\" mine.db");
  for (const char* kept : {"# mine\npace = \"2 s\"  # slow\n", "tags = [\"hot\"]  # always\n"})
    EXPECT_NE(text.toml().find(kept), std::string::npos) << text.toml();
  for (const char* key : {"store", "cues.start", "recording.overlay", "keys.show"}) text.unset(key);
  EXPECT_EQ(parse_settings(text.toml()).settings->cues.start, CueChoices().start);
  EXPECT_TRUE(parse_settings(text.toml()).settings->store.empty());
}

/// A value is one value, whatever it looks like: it can't bring a command along.
TEST(SettingsText, TakesNothingButOneValue) {
  const char* const values[] = {"{ hwmon = \"2 s\" }\n[[command]]\nid = \"own.x\"\nshell = \"touch ran\"",
                                "{ hwmon = \"2 s\" }\nface = \"other\"",
                                "{ hwmon = \"2 s\"",
                                "[\"a\"]\r\nface = \"other\"",
                                "[] # \n[[command]]",
                                "",
                                "\n"};
  for (const char* key : {"paces", "facts", "figures", "recording.settings", "recording.tags", "cues.start"}) {
    for (const char* value : values) {
      for (const char* before : {"", "pace = \"1 s\"\n", "recording = { overlay = \"hidden\" } # mine\n"}) {
        SettingsText text(before);
        EXPECT_THROW(text.set(key, value), Error) << key << ' ' << value;
        EXPECT_EQ(text.toml(), before) << key << ' ' << value;
      }
    }
  }
  // A text is text.
  SettingsText text("");
  text.set("face", "\"\n[[command]]\nshell = \"x\"");
  EXPECT_TRUE(parse_settings(text.toml()).settings->commands.empty());
  EXPECT_EQ(text.value("face"), "\"\n[[command]]\nshell = \"x\"");
}

/// The page's forms and a command may write at the same time.
TEST(ChangeSettings, LosesNoneOfManyWritersChanges) {
  const testing::Folder folder;
  const auto file = folder / "new/settings.toml";
  std::vector<std::thread> writers;
  for (const char* const key : {"recording.note", "face", "keys.show", "recording.results"})
    writers.emplace_back([&, key] {
      for (int i = 0; i < 25; ++i) change_settings(file, key, i % 2 == 0 ? "Ctrl+F" + std::to_string(i % 9 + 1) : "F9");
    });
  for (std::thread& writer : writers) writer.join();
  const SettingsText text(settings_file_text(file));
  for (const char* const key : {"recording.note", "face", "keys.show", "recording.results"})
    EXPECT_TRUE(text.value(key)) << key;
}

TEST(SettingsText, RefusesWhatWouldBeWrongAndMendsWhatIs) {
  SettingsText text("pace = \"1 h\"\n");
  const std::pair<const char*, const char*> refused[] = {{"pase", "2 s"},
                                                         {"recording.overlay", "gone"},
                                                         {"cues.start", "[\"gong\"]"},
                                                         {"keys.show", "Ctrl+Alt+C"},
                                                         {"computed.id", "own.a"},
                                                         {"recording.tags", "hot"}};
  for (const auto& [key, value] : refused) {
    const std::string before = text.toml();
    EXPECT_THROW(text.set(key, value), Error) << key;
    EXPECT_EQ(text.toml(), before) << key;
  }
  text.set("face", "calm");
  EXPECT_FALSE(parse_settings(text.toml()).settings) << "the pace is as wrong as before";
  text.set("pace", "1 s");
  EXPECT_EQ(parse_settings(text.toml()).settings->face, "calm");
  EXPECT_THROW(SettingsText("pace = ="), Error);
}

}  // namespace
}  // namespace idlemeter
