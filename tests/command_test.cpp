// The idlemeter command as a process.
#include "command.hpp"

#include <gtest/gtest.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "folder.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/draw/png.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {
namespace {

using testing::expect_steps;
using testing::Folder;
using testing::Outcome;
using testing::run;
using testing::Step;

TEST(Command, MisuseIsTwoAndFailureIsOneAndBothSayWhy) {
  const testing::Folder folder;
  folder.file("broken.toml", "nmae = \"x\"\n[[row]]\nlabel = 7\n");
  folder.file("cut.toml", "[[row]]\ncells = [ { read");
  folder.file("empty.toml", "");
  folder.file("good.toml", "[[row]]\ncells = [ { reading = \"ram.usde\" } ]\n");
  folder.file("notes.db", std::string(5'000, 'x'));
  folder.file("text.png", "no picture");
  folder.file("wrong.toml", "pase = 1");
  const struct {
    const char* arguments;
    int status;
    const char* words;
  } cases[] = {
      {"", 2, "subcommand is required"},
      {"raedings", 2, "unknown command 'raedings'; did you mean 'readings'"},
      {"readings --fly", 2, "--fly"},
      {"readings --root nowhere", 2, "nowhere"},
      {"readings --rig toaster", 2, "there is no simulated machine 'toaster'; it is one of desktop, laptop"},
      {"readings --every never", 2, "'never' isn't a time"},
      {"readings --json --csv", 2, "excludes"},
      {"readings --settings none.toml", 1, "none.toml: cannot read the settings"},
      {"readings --settings wrong.toml", 1, "wrong.toml:1:1: error: the settings has no key 'pase'"},
      {"readings xyzzy", 1, "no reading has 'xyzzy'"},
      {"face draw good.toml --size 64x64", 2, "--output"},
      {"face draw nobody", 1, "there is no face 'nobody'"},
      {"face draw dashbord", 1, "did you mean 'dashboard'"},
      {"face draw good.toml --run 1 --store notes.db", 1, "notes.db: not an Idle Meter store"},
      {"face draw good.toml --at 3s", 2, "--run"},
      {"face draw good.toml --run 1 --at soon", 2, "'soon' isn't a moment"},
      {"face set strip text.size=20", 1, "'strip' is a starter; start one of your own"},
      {"face set good.toml row:1/1 digits", 1, "'digits' isn't a key with a value"},
      {"face set good.toml text.size=1", 1, "good.toml:1:17: error: 'size' of 'text' must be from 4 to 400"},
      {"face add good.toml", 2, "READING is required"},
      {"face undo good.toml", 1, "there is nothing to undo"},
      {"face unpack notes.db", 1, "notes.db: isn't a bundle"},
      {"face pack none.toml", 1, "none.toml: cannot read the face"},
      {"face copy strip good.toml", 1, "good.toml: already exists"},
      {"face use nobody", 1, "there is no face 'nobody'"},
      {"face draw good.toml -o a.png --size 10", 2, "write it like 1920x1080"},
      {"face draw good.toml -o a.png --size 99999x99999", 2, "each side from 16 to 16384"},
      {"face draw good.toml -o a.png --over text.png --size 64x64", 2, "excludes"},
      {"face draw none.toml -o a.png", 1, "none.toml: cannot read the face"},
      {"face draw empty.toml -o a.png", 1, "empty.toml:1:1: error: a face without rows or pins"},
      {"face draw cut.toml -o a.png", 1, "cut.toml:2:"},
      {"face draw broken.toml -o a.png", 1,
       "broken.toml:1:1: error: a face has no key 'nmae'; did you mean 'name'?\nbroken.toml:3:9: error: 'label'"},
      {"face draw good.toml -o no/folder/a.png", 1, "no/folder/a.png: cannot write the picture"},
      {"face draw good.toml -o a.png --over text.png", 1, "text.png: cannot read the picture"},
      {"face draw good.toml -o a.png", 0, "no reading 'ram.usde' here; nearest: ram.used"},
      {"face draw good.toml -o a.png --ground snow", 2, "--ground"},
      {"face check broken.toml", 1, "broken.toml:1:1: error: a face has no key 'nmae'"},
      {"face new mine.toml --from benchmrak", 2, "'benchmrak' isn't a starter; did you mean 'benchmark'?"},
      {"face new good.toml", 1, "good.toml: already exists"},
      {"runs", 1, "there is no store here"},
      {"runs --store notes.db", 1, "notes.db: not an Idle Meter store"},
      {"runs show --store notes.db", 2, "RUN is required"},
      {"runs show one --store notes.db", 2, "RUN"},
      {"runs show 1 --store notes.db", 1, "notes.db: not an Idle Meter store"},
      {"demo --folder text.png", 1, "text.png"},
  };
  for (const auto& c : cases) {
    const Outcome outcome = run(folder, c.arguments);
    EXPECT_EQ(outcome.status, c.status) << c.arguments << '\n' << outcome.err;
    EXPECT_NE(outcome.err.find(c.words), std::string::npos) << c.arguments << '\n' << outcome.err;
  }
}

TEST(Command, HelpAndVersionSucceed) {
  const testing::Folder folder;
  for (const char* arguments :
       {"--help", "--version", "readings --help", "face draw --help", "runs show --help", "demo --help"}) {
    const Outcome outcome = run(folder, arguments);
    EXPECT_EQ(outcome.status, 0) << arguments;
    EXPECT_FALSE(outcome.out.empty()) << arguments;
  }
}

TEST(Command, ReadingsAreThisMachines) {
  const testing::Folder folder;
  const Outcome table = run(folder, "readings memory");
  EXPECT_EQ(table.status, 0);
  EXPECT_NE(table.out.find("ram.used"), std::string::npos);
  EXPECT_EQ(table.out.find("cpu.load"), std::string::npos);
  const auto json = nlohmann::json::parse(run(folder, "readings ram.total --json").out);
  ASSERT_EQ(json.size(), 1u);
  EXPECT_EQ(json[0]["id"], "ram.total");
  EXPECT_EQ(json[0]["unit"], "MiB");
  EXPECT_GT(json[0]["value"].get<double>(), 100);
}

/// Clears the screen, sets the clipboard (OSC 52), both again as C1 characters, reverses the text direction, and holds
/// bytes that aren't UTF-8.
const std::string kHostile = "a\x1b[2J\x1b]52;c;YQ==\x07\xc2\x9b\x32J\xe2\x80\xae,\"\xff\x7f";

bool steers(const std::string& text) {
  for (std::size_t i = 0; i < text.size(); ++i) {
    const auto c = static_cast<unsigned char>(text[i]),
               next = static_cast<unsigned char>(i + 1 < text.size() ? text[i + 1] : 0);
    if ((c < 0x20 && c != '\n') || c == 0x7f || (c == 0xc2 && next < 0xa0)) return true;
  }
  return false;
}

TEST(Command, NothingFromOutsideControlsTheTerminal) {
  const testing::Folder folder;
  folder.file("tree/sys/class/hwmon/hwmon0/name", "board");
  folder.file("tree/sys/class/hwmon/hwmon0/temp1_label", kHostile);
  folder.file("tree/sys/class/hwmon/hwmon0/temp1_input", "40000");
  folder.file("tree/proc/cpuinfo", "model name\t: " + kHostile + "\n");
  folder.file("shout", "#!/bin/sh\nprintf '" + std::string("a\\033[2Jb") + "'");
  folder.file("own.toml",
              "facts = { \"own.a\" = \"b\\u001B[2J\\u009B\" }\n[[command]]\nid = \"own.c\"\ntext = true\nrun = "
              "[\"sh\", \"shout\"]\n");
  folder.file("f.toml",
              "[[row]]\nlabel = \"\\u001B[2J\\u009B\"\ncells = [ { reading = \"own.a\", title = \"\\u0007\" }, { "
              "reading = \"own.c\" } ]\n");
  {
    Store store(folder / "runs.db");
    RunDetails details{kHostile, kHostile, {kHostile}, {{kHostile, kHostile}}, {{kHostile, kHostile}}};
    Recorder recorder(store, details);
    recorder.add({Moment{10 * kMillisecond}, 10 * kMillisecond});
    recorder.finish();
  }
  const std::string machine = " --root tree --settings own.toml";
  const std::vector<std::string> commands = {"readings" + machine,
                                             "readings --json" + machine,
                                             "readings --csv" + machine,
                                             "readings --every 100ms --count 1" + machine,
                                             "face draw f.toml" + machine,
                                             "face draw f.toml --color none" + machine,
                                             "runs --store runs.db",
                                             "runs --json --store runs.db",
                                             "runs show 1 --store runs.db",
                                             "runs show 1 1 --store runs.db",
                                             "runs show 1 --json --store runs.db",
                                             "face show f.toml",
                                             "face '\x1b[2J'",
                                             "runs --store '\x1b[2J'"};
  for (const std::string& arguments : commands) {
    const Outcome outcome = run(folder, arguments);
    EXPECT_FALSE(steers(outcome.out)) << arguments << '\n' << outcome.out;
    EXPECT_FALSE(steers(outcome.err)) << arguments << '\n' << outcome.err;
    EXPECT_FALSE((outcome.out + outcome.err).empty()) << arguments;
  }
  const auto json = nlohmann::json::parse(run(folder, "readings own --json" + machine).out);
  EXPECT_EQ(json.at(0).at("value"), "b\u001b[2J\u009b") << "JSON escapes it: nothing is lost";
}

TEST(Command, CsvQuotesWhatHasCommas) {
  const testing::Folder folder;
  folder.file("own.toml", "facts = { \"a.b,c\" = \"x, \\\"y\\\"\" }\n");
  const Outcome csv = run(folder, "readings a.b --csv --settings own.toml");
  EXPECT_NE(csv.out.find(",\"a.b,c\",\"x, \"\"y\"\"\","), std::string::npos) << csv.out;
}

TEST(Command, AFailedWriteIsAFailureAndLeavesNothing) {
  const testing::Folder folder;
  std::filesystem::create_directories(folder / "tmp");
  const auto status = [&](const std::string& arguments) { return run(folder, arguments).status; };
  ASSERT_EQ(status("demo --brief --folder d"), 0);
  for (const char* arguments :
       {"--help", "runs --json --store d/runs.db", "runs --store d/runs.db", "face draw rate --rig", "face schema"}) {
    EXPECT_EQ(status(std::string(arguments) + " >/dev/full"), 1) << arguments;
    EXPECT_EQ(status(std::string(arguments) + " >&-"), 1) << arguments;
  }
  EXPECT_EQ(status("face draw rate --rig -o /dev/full"), 1);
  EXPECT_EQ(status("face draw rate --rig -o /dev/null"), 0);
  const std::string at = "export TMPDIR='" + (folder / "tmp").string() + "'; ";
  for (const char* end : {"kill -TERM $p", "kill -INT $p", "kill -HUP $p"}) {
    std::filesystem::remove(folder / "out");  // the command makes it: then it has blocked the signals
    const std::string script = at + "'" IDLEMETER_COMMAND "' readings --rig --every 100ms > " +
                               (folder / "out").string() + " & p=$!; while ! [ -s " + (folder / "out").string() +
                               " ]; do sleep 0.02; done; " + end + "; wait $p";
    (void)!std::system(script.c_str());
    EXPECT_TRUE(std::filesystem::is_empty(folder / "tmp")) << end;
  }
  (void)!std::system((at + "'" IDLEMETER_COMMAND "' readings --rig --every 100ms | head -1 >/dev/null").c_str());
  EXPECT_TRUE(std::filesystem::is_empty(folder / "tmp")) << "a closed pipe";
}

TEST(Command, RepeatedReadingsShowTheRangeSeen) {
  const testing::Folder folder;
  const Outcome csv = run(folder, "readings --rig laptop battery.charge --csv --every 100s --count 3");
  EXPECT_EQ(csv.status, 0) << csv.err;
  EXPECT_EQ(std::count(csv.out.begin(), csv.out.end(), '\n'), 4);
  EXPECT_EQ(csv.out.find("time_s,id,value,unit,least,most,title,device,source,missing,alias\n0.000,battery.charge,"),
            0u)
      << csv.out;
  const Outcome json = run(folder, "readings --rig laptop battery.charge --json --every 100s --count 2");
  const auto last = nlohmann::json::parse(json.out.substr(json.out.find('\n') + 1));
  EXPECT_LT(last["readings"][0]["least"], last["readings"][0]["most"]);
  const Outcome lines = run(folder, "readings --rig laptop battery.state --every 100ms --count 2");
  EXPECT_EQ(lines.out.find("0.0 s  battery.state  Discharging\n0.1 s  battery.state"), 0u) << lines.out;
}

TEST(Command, OwnReadingsComeFromTheSettings) {
  const testing::Folder folder;
  folder.file(".config/idlemeter/settings.toml",
              "facts = { \"cpu.name\" = \"My chip\" }\n[[computed]]\nid = \"own.share\"\nformula = \"ram.used / "
              "ram.total * 100\"\nunit = \"%\"\n"
              "[[command]]\nid = \"own.word\"\nrun = [\"echo\", \"hello\"]\ntext = true\n");
  const auto value = [&](const std::string& id) {
    return nlohmann::json::parse(run(folder, "readings --json " + id).out).at(0).at("value");
  };
  EXPECT_GT(value("own.share").get<double>(), 0);
  EXPECT_EQ(value("own.word"), "hello");
  EXPECT_EQ(value("cpu.name"), "My chip");
}

TEST(Command, AFaceBeginsFromAStarter) {
  const testing::Folder folder;
  const Outcome checked = run(folder, "face check dashboard --rig");
  EXPECT_EQ(checked.status, 0);
  EXPECT_EQ(checked.out, "dashboard: all is well\n");
  EXPECT_NE(run(folder, "face starters").out.find("benchmark"), std::string::npos);
  EXPECT_EQ(run(folder, "face new faces/mine.toml --from dashboard").status, 0);
  const Outcome drawn = run(folder, "face draw faces/mine.toml --rig --ground night -o mine.png --size 1280x720");
  EXPECT_EQ(drawn.status, 0);
  EXPECT_EQ(drawn.err, "");
  const Outcome by_name = run(folder, "face draw dashboard --rig --ground night -o by_name.png --size 1280x720");
  EXPECT_EQ(by_name.err, "");
  EXPECT_EQ(load_png(folder / "mine.png").width, 1280);
}

TEST(Command, ShowsSettingsAndChangesThemWithTheirComments) {
  const Folder folder;
  folder.file("mine.toml", "# of Bramble\npace = \"1 s\"  # slow\n");
  const Step steps[] = {
      {"settings", 0, {"settings.toml", "pace                (500 ms)", "keys.show           (Ctrl+Alt+O)"}},
      {"settings set keys.show Ctrl+F9", 0, {"settings.toml: keys.show is Ctrl+F9"}},
      {"settings", 0, {"keys.show           Ctrl+F9"}},
      {"settings set pace '2 s' --settings mine.toml", 0, {"mine.toml: pace is 2 s"}},
      {"settings set cues.start '[\"speech\"]' --settings mine.toml", 0, {"cues.start is [\"speech\"]"}},
      {"settings unset cues.start --settings mine.toml", 0, {"cues.start has its default"}},
      {"settings set pase 3", 1, {"there is no setting 'pase'; did you mean 'pace'"}},
      {"settings set pace 3", 1, {"'pace' must be a time from 100 ms to 60 s"}},
      {"settings set pace", 2, {"VALUE is required"}}};
  expect_steps(folder, steps);
  EXPECT_TRUE(testing::text_of(folder / "mine.toml").starts_with("# of Bramble\npace = \"2 s\"  # slow\n"));
}

TEST(Command, KeepsFacesAndChoosesThemForGames) {
  const Folder folder;
  const Step steps[] = {
      {"face new reef --from rate", 0, {"reef.toml: a face to change as you like, started from 'rate'"}},
      {"face new reef", 1, {"reef"}},
      {"face copy reef shore", 0, {"shore.toml: a copy of 'reef'"}},
      {"face copy nosuch x", 1, {"nosuch"}},
      {"face which tidepool_rally", 0, {"benchmark  (a starter: no rule fits 'tidepool_rally'"}},
      {"face use reef", 0, {"settings.toml: games without a rule now get 'reef'"}},
      {"face use shore --game 'tide*'", 0, {"games that fit 'tide*' now get 'shore'"}},
      {"face use nosuch", 1, {"nosuch"}},
      {"face which tidepool_rally", 0, {"shore  (rule 1: program = \"tide*\")"}},
      {"face which glxgears", 0, {"reef  (the default: no rule fits 'glxgears')"}},
      {"face list", 0, {"(for all games without a rule)", "(for tide*)", "starter: "}},
      {"face add reef gpu.hotspot.temp", 0, {}},
      {"face pack reef", 0, {"reef.zip: 'reef' with its pictures; 'idlemeter face unpack reef.zip' takes it in"}},
      {"face unpack reef.zip", 1, {"reef"}},
      {"face unpack reef.zip --as bay --rig bare",
       0,
       {"kept as 'bay'", "This machine doesn't have these", "gpu.hotspot"}},
      {"face list", 0, {"faces/bay/face.toml"}}};
  expect_steps(folder, steps);
  folder.file(".config/idlemeter/faces/bay/face.toml", "[[row]\n");
  EXPECT_NE(run(folder, "face list").out.find("bay/face.toml  (has mistakes"), std::string::npos);
}

TEST(Command, AddingAndMovingShowWhatChangedAndWarnOfUnknownReadings) {
  const testing::Folder folder;
  folder.file("a.toml",
              "[[row]]\nlabel = \"RAM\"\ncells = [ { reading = \"ram.used\" } ]\n\n[[row]]\nlabel = \"Load\"\n"
              "cells = [ { reading = \"cpu.load\" } ]\n\n[[row]]\nlabel = \"Clock\"\ncells = [ { reading = "
              "\"cpu.clock\" } ]\n");
  const Outcome typo = run(folder, "face add a.toml cpu.laod --row Load");
  EXPECT_EQ(typo.status, 0) << typo.err;
  EXPECT_NE(typo.err.find("warning: no reading 'cpu.laod' here; nearest: cpu.load"), std::string::npos) << typo.err;
  EXPECT_NE(testing::text_of(folder / "a.toml").find("cpu.laod"), std::string::npos) << "added all the same";
  EXPECT_EQ(run(folder, "face add a.toml ram.total 'frame.low@1%@10s' --row RAM").err, "");
  EXPECT_EQ(run(folder, "face undo a.toml").status, 0);
  EXPECT_EQ(run(folder, "face undo a.toml").status, 0);
  const Outcome moved = run(folder, "face move a.toml Clock 1");
  EXPECT_EQ(moved.out.find("a.toml:1\n+ [[row]]\n+ label = \"Clock\"\n"), 0u) << moved.out;
  EXPECT_EQ(moved.out.find("RAM"), std::string::npos) << moved.out;
  EXPECT_EQ(moved.out.find("Load"), std::string::npos) << moved.out;
}

TEST(Command, AFaceIsDrawnOverAPictureAtItsSize) {
  const testing::Folder folder;
  Image ground(800, 450);
  std::fill(ground.pixels.begin(), ground.pixels.end(), 0xff285078);
  write_png(ground, folder / "shot.png");
  folder.file("f.toml",
              "place = { anchor = \"bottom-right\" }\n[[row]]\nlabel = \"Rate\"\ncells = [ { reading = \"frame.rate\" "
              "}, { reading = \"gpu.load\" } ]\n");
  const Outcome outcome = run(folder, "face draw f.toml --rig --over shot.png -o out.png");
  ASSERT_EQ(outcome.status, 0) << outcome.err;
  EXPECT_EQ(outcome.err, "");
  const Image drawn = load_png(folder / "out.png");
  ASSERT_EQ(drawn.width, 800);
  EXPECT_EQ(drawn.at(10, 10), 0xff285078u);
  EXPECT_NE(drawn.at(790, 440), 0xff285078u);
}

}  // namespace
}  // namespace idlemeter
