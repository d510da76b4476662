// What the command must never overwrite, hand on, or let out of a file unguarded.
#include <fcntl.h>
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <sys/stat.h>

#include <filesystem>

#include "command.hpp"
#include "folder.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {
namespace {

using testing::Outcome;
using testing::run;
using testing::text_of;

void record(const std::filesystem::path& file, const RunDetails& details, int frames = 3'000) {
  Store store(file);
  Recorder recorder(store, details, [] { return Moment{}; });
  for (int i = 1; i <= frames; ++i) recorder.add({Moment{i * 10 * kMillisecond}, 10 * kMillisecond});
  recorder.finish();
}

TEST(Command, NoOutputReplacesAStoreAFaceOrWhatItIsMadeOf) {
  const testing::Folder folder;
  for (int i = 0; i < 2; ++i) record(folder / "s.db", {"Tidepool Rally"});
  std::filesystem::create_symlink("s.db", folder / "link.db");
  folder.file("mine.toml", "[[row]]\ncells = [ { reading = \"frame.rate\" } ]\n");
  folder.file("face.txt", "[[pin]]\nat = [0, 0]\npicture = \"p.png\"\nwidth = 9\nheight = 9\n");
  ASSERT_EQ(run(folder, "face draw mine.toml --rig -o p.png").status, 0);
  ASSERT_EQ(run(folder, "face pack mine.toml -o mine.zip").status, 0);
  ASSERT_EQ(run(folder, "runs export 1 --json -o runs.json --store s.db").status, 0);
  const auto whole = [&] {
    std::string all;
    for (const char* file : {"s.db", "mine.toml", "face.txt", "p.png", "mine.zip", "runs.json"})
      all += text_of(folder / file);
    return all;
  };
  ASSERT_EQ(run(folder, "runs export 1 --results --store s.db").status, 0);  // the store keeps them from now on
  const std::string before = whole();
  for (const char* words :
       {"report 1 --store s.db -o s.db", "report 1 --store s.db -o link.db", "report 1 --store s.db -o mine.toml",
        "report 1 --store s.db -o face.txt", "report 1 --store s.db -o mine.zip", "report 1 --store s.db -o runs.json",
        "runs export 1 --store s.db -o s.db", "runs export 1 --json --store s.db -o link.db",
        "runs export 1 --results --store s.db -o mine.toml", "runs copy s.db --store s.db",
        "runs check --repair s.db --store s.db", "face draw mine.toml --rig -o mine.toml",
        "face draw face.txt --rig -o p.png", "face draw mine.toml --rig --over p.png -o p.png"}) {
    const Outcome outcome = run(folder, words);
    EXPECT_EQ(outcome.status, 1) << words << ": " << outcome.out << outcome.err;
    EXPECT_NE(outcome.err.find("name a"), std::string::npos) << words << ": " << outcome.err;
    EXPECT_TRUE(whole() == before) << words;
  }
  EXPECT_EQ(run(folder, "runs export 1-2 --json -o runs.json --store s.db").status, 0)
      << "its own kind may be replaced";
  for (const char* name : {"''", ":memory:", "file:x.db", "'file::memory:?cache=shared'"})
    EXPECT_EQ(run(folder, std::string("log --rig --for 1s --store ") + name).status, 1) << name;
}

TEST(Command, ACopyOfAStoreIsWholeAlthoughItIsWrittenTo) {
  const testing::Folder folder;
  record(folder / "rig.db", {.game = "Rally", .facts = {{"Arguments", "--token secret"}, {"GPU", "Marl G9"}}});
  Store store(folder / "rig.db");
  Recorder recorder(store, {"Rally"}, [] { return Moment{}; });
  for (int i = 1; i <= 300; ++i) recorder.add({Moment{i * 10 * kMillisecond}, 10 * kMillisecond});
  recorder.flush();  // SQLite's log has it, not the file
  EXPECT_EQ(run(folder, "runs copy - --store rig.db > piped.db").status, 0);
  const Outcome copied = run(folder, "runs copy copy.db --store rig.db");
  EXPECT_EQ(copied.out, "copy.db: 2 runs added as 1 to 2; 2 isn't finished: add it again later\n") << copied.err;
  for (const char* file : {"piped.db", "copy.db"}) {
    EXPECT_FALSE(std::filesystem::exists(folder / (std::string(file) + "-wal"))) << "it is one file";
    const Store copy(folder / file, Store::Mode::existing);
    EXPECT_TRUE(copy.check().empty());
    EXPECT_EQ(copy.run(1).frames, 3'000u);
    EXPECT_EQ(copy.frames(2).size(), 300u) << file;
    EXPECT_EQ(text_of(folder / file).find("secret"), std::string::npos) << "launchers pass tokens as arguments";
    EXPECT_EQ(copy.run(1).details.facts.at("GPU"), "Marl G9");
  }
  for (const char* words : {"runs export 1 --json --store rig.db", "runs show 1 --json --store rig.db",
                            "report 1 --store rig.db -o /dev/stdout", "runs --json --store rig.db"})
    EXPECT_EQ(run(folder, words).out.find("secret"), std::string::npos) << words;
  for (const char* words :
       {"runs export 1 --json --arguments --store rig.db", "report 1 --arguments --store rig.db -o /dev/stdout",
        "runs copy - --arguments --store rig.db"})
    EXPECT_NE(run(folder, words).out.find("secret"), std::string::npos) << words;
}

TEST(Command, TextsFromOutsideAreQuotedInPlotsTablesAndJson) {
  const testing::Folder folder;
  for (const char* game : {"'quoted", "it''s", "\"double\" \\ `touch ran` $HOME %s", "\xe2\x80\xae\xe2\x80\xa8\xc2\x9b",
                           " \t=1+1", ";semi"}) {
    std::filesystem::remove(folder / "s.db");
    record(folder / "s.db", {.game = game, .settings = {{"Preset", game}}});
    const Outcome plot = run(folder, "plot 1 --store s.db -o plot.png");
    EXPECT_EQ(plot.status, 0) << game << ": " << plot.err;
    EXPECT_FALSE(std::filesystem::exists(folder / "ran"));
    record(folder / "s.db", {.game = game, .settings = {{"Preset", "other"}}});
    const std::string json = run(folder, "compare 1 2 --json --store s.db").out +
                             run(folder, "runs export 1 --json --store s.db").out +
                             run(folder, "runs show 1 --json --store s.db").out;
    for (const char* raw : {"\xe2\x80\xae", "\xe2\x80\xa8", "\xc2\x9b"})
      EXPECT_EQ(json.find(raw), std::string::npos) << game;
    const std::string csv = run(folder, "runs export 1 --results --store s.db").out;
    EXPECT_EQ(csv.find(", \t="), std::string::npos) << csv;
    EXPECT_EQ(csv.find(",;"), std::string::npos) << csv;
  }
}

TEST(Command, ALimitOnTheSizeOfFilesIsAnError) {
  const testing::Folder folder;
  const Outcome outcome = run(folder, "log --rig --for 20min --store s.db", "prlimit --fsize=100000");
  EXPECT_EQ(outcome.status, 1) << outcome.out;
  EXPECT_NE(outcome.err.find("s.db"), std::string::npos) << outcome.err;
  const Outcome scratch = run(folder, "readings --rig", "TMPDIR=/nowhere/at/all");
  EXPECT_EQ(scratch.status, 1);
  EXPECT_NE(scratch.err.find("/nowhere/at/all: cannot make a temporary folder"), std::string::npos) << scratch.err;
}

TEST(Command, ScratchFoldersOfKilledProgramsAreRemoved) {
  const testing::Folder folder;
  std::filesystem::create_directories(folder / "idlemeter-scratch.killed");
  folder.file("idlemeter-scratch.killed/runs.db", "someone's run");
  folder.file("idlemeter-scratch.new/runs.db", "of a program that has just begun");
  folder.file("idlemeter-demo/runs.db", "the user's own");
  timespec old[2] = {{1'000'000, 0}, {1'000'000, 0}};
  for (const char* name : {"idlemeter-scratch.killed", "idlemeter-demo"})
    ASSERT_EQ(::utimensat(AT_FDCWD, (folder / name).c_str(), old, 0), 0);
  EXPECT_EQ(run(folder, "readings --rig", "TMPDIR=.").status, 0);
  EXPECT_FALSE(std::filesystem::exists(folder / "idlemeter-scratch.killed"));
  EXPECT_TRUE(std::filesystem::exists(folder / "idlemeter-scratch.new"));
  EXPECT_TRUE(std::filesystem::exists(folder / "idlemeter-demo"));
}

TEST(Command, TheStoreIsNamedInTheSettings) {
  const testing::Folder folder;
  record(folder / "config/idlemeter/all.db", {"Rally"});
  folder.file("config/idlemeter/settings.toml", "store = \"all.db\"\n");
  const std::string config = "XDG_CONFIG_HOME='" + (folder / "config").string() + "'";
  EXPECT_NE(run(folder, "runs", config).out.find("Rally"), std::string::npos);
  EXPECT_EQ(run(folder, "runs --store none.db", config).status, 1);
  folder.file("config/idlemeter/settings.toml", "stor = \"all.db\"\n");
  EXPECT_NE(run(folder, "runs", config).err.find("did you mean 'store'"), std::string::npos);
}

}  // namespace
}  // namespace idlemeter
