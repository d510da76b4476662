// Frame logs of any form: what is read, what is guessed, what is refused.
#include "idlemeter/runs/frame_log.hpp"

#include <archive.h>
#include <archive_entry.h>
#include <fcntl.h>
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <unistd.h>

#include <random>
#include <string>
#include <vector>

#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/runs/run_csv.hpp"
#include "idlemeter/runs/run_file.hpp"
#include "idlemeter/runs/store.hpp"
#include "stores.hpp"

namespace idlemeter {
namespace {

using namespace testing;
using Format = FrameLogFormat;

std::vector<std::int64_t> lengths_of(const FrameLog& log, std::size_t run = 0) {
  std::vector<std::int64_t> lengths;
  for (const FrameRecord& frame : log.runs.at(run).frames) lengths.push_back(frame.interval.count());
  return lengths;
}

std::vector<std::int64_t> moments_of(const FrameLog& log, std::size_t run = 0) {
  std::vector<std::int64_t> moments;
  for (const FrameRecord& frame : log.runs.at(run).frames) moments.push_back(frame.at.time_since_epoch().count());
  return moments;
}

TEST(FrameLog, IsReadAsItsColumnsSay) {
  using Lengths = std::vector<std::int64_t>;
  const struct {
    const char* what;
    std::string text;
    Format format;
    Lengths lengths;
    const char* note = "";
  } cases[] = {
      {"our own",
       "run,presented (s),frame time (ms),GPU work (ms)\r\n1,0.016,16.0,15.5\r\n1,0.0326834,16.6834,\r\n",
       {},
       {16'000'000, 16'683'400},
       "frame times from column 'frame time (ms)', in ms"},
      {"one column of numbers", "16.5\n17\n", {}, {16'500'000, 17'000'000}, "column '1', in ms"},
      {"seconds by their size", "Frame Time\n0.016\n0.02\n", {}, {16'000'000, 20'000'000}, "in s"},
      {"microseconds by their size", "Frame Time\n16000\n20000.5\n", {}, {16'000'000, 20'000'500}, "in us"},
      {"nanoseconds by the heading", "frametime[ns];x\n16000001;a\n", {}, {16'000'001}, "in ns"},
      {"a unit before the name", "ms between frames\n16\n", {}, {16'000'000}},
      {"chosen", "a,b,c\n1,2,3\n4,5,6\n", {.frame_time = {"B", LogUnit::millisecond}}, {2'000'000, 5'000'000}},
      {"chosen by number", "1|20|3\n4|50|6\n", {.frame_time = {"2"}}, {20'000'000, 50'000'000}},
      {"rates", "fps\n50\n62.5\n", {.frame_time = {"fps"}}, {20'000'000, 16'000'000}, "in fps"},
      {"moments alone", "Timestamp (s),x\n5000.5,a\n5000.516,b\n5000.536,c\n", {}, {16'000'000, 20'000'000}, "moments"},
      {"moments as a clock's", "time\tx\n0:59:59.99\ta\n1:00:00.006\tb\n", {}, {16'000'000}},
      {"a decimal comma", "Zeit;Frame time (ms)\n1;16,5\n2;17,25\n", {}, {16'500'000, 17'250'000}, "decimal comma"},
      {"a decimal comma in quotes", "frame time (ms),x\n\"16,5\",a\n", {.decimal_comma = true}, {16'500'000}},
      {"a delimiter", "frame time (ms)/n\n16/1\n", {.delimiter = '/'}, {16'000'000}},
      {"lines above the heading",
       "Made by a tool\nGame,Tidepool Rally\n\n# a comment\nn,frame time (ms)\n1,16\n",
       {},
       {16'000'000}},
      {"a delimiter and quotes in a field",
       "\"name, \"\"quoted\"\"\",\"frame time (ms)\"\n\"a,b\",16\nc,17\n",
       {},
       {16'000'000, 17'000'000}},
      {"blanks and signs", "frame time (ms)\n +16.5 \n1.7e1\n", {}, {16'500'000, 17'000'000}},
      {"more digits than fit", "frame time (s)\n0.0166666666666666666666666\n", {}, {16'666'667}},
      {"a byte-order mark",
       "\xEF\xBB\xBF"
       "frame time (ms)\n16\n",
       {},
       {16'000'000}},
      {"no line end", "frame time (ms)\n16", {}, {16'000'000}},
  };
  for (const auto& one : cases) {
    const FrameLog log = parse_frame_log(one.text, "log.csv", one.format);
    ASSERT_EQ(log.runs.size(), 1u) << one.what;
    EXPECT_EQ(lengths_of(log), one.lengths) << one.what;
    EXPECT_EQ(log.broken, 0u) << one.what;
    EXPECT_NE(fmt::format("{}", fmt::join(log.notes, "; ")).find(one.note), std::string::npos) << one.what;
  }
}

/// The first line of each file says what it gives: "# gives: 8 frames from 16.5 to 17 ms", "# with COLUMN: …" if the
/// column of frame times is named, "# refused: WORDS".
TEST(FrameLog, GivesWhatItsFirstLineSaysHoweverOddItIs) {
  int files = 0;
  for (const auto& entry : std::filesystem::directory_iterator(ODD_LOGS)) {
    const std::string text = text_of(entry.path()), name = entry.path().filename().string();
    const std::string expected = text.substr(2, text.find('\n') - 2);
    ++files;
    try {
      FrameLogFormat format;
      if (expected.starts_with("with ")) format.frame_time.name = expected.substr(5, expected.find(':') - 5);
      const auto lengths = lengths_of(load_frame_log(entry.path(), format));
      const auto [least, most] = std::minmax_element(lengths.begin(), lengths.end());
      const std::string given = fmt::format("{} frames from {:.9g} to {:.9g} ms", lengths.size(),
                                            static_cast<double>(*least) / 1e6, static_cast<double>(*most) / 1e6);
      EXPECT_EQ(given, expected.substr(expected.find(": ") + 2)) << name;
    } catch (const Error& error) {
      ASSERT_TRUE(expected.starts_with("refused: ")) << name << ": " << error.what();
      EXPECT_NE(std::string(error.what()).find(expected.substr(9)), std::string::npos) << name << ": " << error.what();
    }
  }
  EXPECT_GE(files, 40);
}

TEST(FrameLog, RoundedMomentsNeverGoBack) {
  const FrameLog log = parse_frame_log("time (ms),frame time (ms)\n0,5.0\n5,5.9\n5,20.0\n26,20.0\n", "a.csv", {});
  ASSERT_EQ(log.runs.at(0).frames.size(), 4u);
  EXPECT_TRUE(std::is_sorted(log.runs[0].frames.begin(), log.runs[0].frames.end(),
                             [](const FrameRecord& a, const FrameRecord& b) { return a.at < b.at; }));
}

TEST(FrameLog, SaysThatRatesAloneAreTakenAsFrames) {
  const auto says = [](const std::vector<std::string>& notes) {
    return std::any_of(notes.begin(), notes.end(),
                       [](const auto& note) { return note.find("each line counts as a frame") == 0; });
  };
  EXPECT_TRUE(says(parse_frame_log("FPS\n80\n81\n", "a.csv", {}).notes));
  EXPECT_FALSE(says(parse_frame_log("ms,FPS\n12.5,80\n12.5,80\n", "a.csv", {.frame_time = {"ms"}}).notes));
}

TEST(FrameLog, SaysWhatItCannotBeRead) {
  const struct {
    std::string text;
    Format format;
    const char* words;
  } cases[] = {
      {"", {}, "log.csv: has no lines"},
      {"frame time (ms)\n", {}, "log.csv: has no frames"},
      {"n,speed\n1,2\n", {}, "no column is clearly the frame times; the columns seem to be 'n', 'speed'"},
      {"frame time A,frame time B\n16,17\n",
       {},
       "several columns may be the frame times: 'frame time A', 'frame time B'"},
      {"n,frame time (ms)\n1,16\n", {.frame_time = {"freim"}}, "no line has a column 'freim'"},
      {"n,work\n1,12\n", {.gpu_work = {"work"}}, "no column is clearly the frame times"},
      {"frame time\n500\n510\n", {}, "it isn't clear what unit the frame times in column 'frame time' have"},
      {"frame time (ms)\nx\n0\n",
       {},
       "none of its 2 lines is a frame: line 2: 'x' in 'frame time (ms)' isn't a number"},
  };
  for (const auto& one : cases) {
    const std::string problem = message_of([&] { (void)parse_frame_log(one.text, "log.csv", one.format); });
    EXPECT_NE(problem.find(one.words), std::string::npos) << one.text << ": " << problem;
  }
  const Folder folder;
  EXPECT_NE(message_of([&] { (void)load_frame_log(folder / "none.csv"); }).find("none.csv: cannot be read (No such"),
            std::string::npos);
  EXPECT_NE(message_of([&] { (void)load_frame_log(folder.path()); }).find("is a folder"), std::string::npos);
}

TEST(FrameLog, NamesLinesThatAreNoFrames) {
  const FrameLog log = parse_frame_log(
      "frame time (ms),n\n16,1\nnan,2\n-1,3\n,4\n\"17,5\n18,6\n1e99,7\n17,\"\"8\n\nonly text\n19,9\n", "log.csv");
  EXPECT_EQ(lengths_of(log), (std::vector<std::int64_t>{16'000'000, 18'000'000, 17'000'000, 19'000'000}));
  EXPECT_EQ(log.lines, 10u);
  EXPECT_EQ(log.broken, 6u);
  ASSERT_EQ(log.first_broken.size(), 5u);
  const std::pair<int, const char*> broken[] = {{3, "'nan' in 'frame time (ms)' isn't a number"},
                                                {4, "'-1' in 'frame time (ms)' isn't above 0"},
                                                {5, "'frame time (ms)' is empty"},
                                                {6, "a quote that isn't closed"},
                                                {8, "'1e99' in 'frame time (ms)' isn't a number"}};
  for (std::size_t i = 0; i < std::size(broken); ++i) {
    EXPECT_EQ(static_cast<int>(log.first_broken[i].line), broken[i].first);
    EXPECT_EQ(log.first_broken[i].why, broken[i].second);
  }
}

/// Whatever isn't known isn't made up: a frame whose beginning is lost is left out.
TEST(FrameLog, WithMomentsAloneLeavesOutWhatFollowsAGap) {
  const FrameLog log = parse_frame_log("time (ms),x\n100,\n116,\nx,\n150,\n160,\n155,\n170,\n180,\n", "log.csv");
  EXPECT_EQ(lengths_of(log), (std::vector<std::int64_t>{16'000'000, 10'000'000, 10'000'000}));
  EXPECT_EQ(moments_of(log), (std::vector<std::int64_t>{116'000'000, 160'000'000, 180'000'000}));
  EXPECT_EQ(log.broken, 2u) << "'x', and 155 after 160";
  const FrameLog back = parse_frame_log("time (ms),x\n100,\n116,\nx,\n50,\n60,\n120,\n130,\n", "log.csv");
  EXPECT_EQ(moments_of(back), (std::vector<std::int64_t>{116'000'000, 130'000'000})) << "time never runs back";
}

TEST(FrameLog, BeginsAtItsFirstFrameUnlessItBeginsSoon) {
  EXPECT_EQ(moments_of(parse_frame_log("time (s),frame time (ms)\n5000.5,16\n5000.6,100\n", "x")),
            (std::vector<std::int64_t>{16'000'000, 116'000'000}));
  EXPECT_EQ(moments_of(parse_frame_log("time (s),frame time (ms)\n2.5,16\n2.6,100\n", "x")),
            (std::vector<std::int64_t>{2'500'000'000, 2'600'000'000}));
  EXPECT_EQ(moments_of(parse_frame_log("time (s),frame time (ms)\n0,16\n0.1,100\n", "x")),
            (std::vector<std::int64_t>{0, 100'000'000}));
  EXPECT_EQ(moments_of(parse_frame_log("frame time (ms)\n16\n4\n", "x")),
            (std::vector<std::int64_t>{16'000'000, 20'000'000}));
}

TEST(FrameLog, IsSplitIntoRuns) {
  const FrameLog log =
      parse_frame_log("process,frame time (ms)\na,16\nb,20\na,17\nb,21\n", "x", {.split = {"process"}});
  ASSERT_EQ(log.runs.size(), 2u);
  EXPECT_EQ(log.runs[1].name, "b");
  EXPECT_EQ(lengths_of(log, 0), (std::vector<std::int64_t>{16'000'000, 17'000'000}));
  EXPECT_EQ(lengths_of(log, 1), (std::vector<std::int64_t>{20'000'000, 21'000'000}));
}

std::string utf16(const std::string& text, bool big, bool mark) {
  std::string wide = !mark ? "" : big ? "\xFE\xFF" : "\xFF\xFE";
  for (const char c : text) wide += big ? std::string{'\0', c} : std::string{c, '\0'};
  return wide;
}

std::string packed(const std::string& text, int (*filter)(archive*)) {
  std::string bytes(text.size() + 1'000'000, '\0');
  std::size_t used = 0;
  archive* writer = archive_write_new();
  filter(writer);
  archive_write_set_format_raw(writer);
  EXPECT_EQ(archive_write_open_memory(writer, bytes.data(), bytes.size(), &used), ARCHIVE_OK);
  archive_entry* entry = archive_entry_new();
  archive_entry_set_filetype(entry, AE_IFREG);
  archive_write_header(writer, entry);
  archive_write_data(writer, text.data(), text.size());
  archive_entry_free(entry);
  archive_write_close(writer);
  archive_write_free(writer);
  return bytes.substr(0, used);
}

/// More than the blocks that it is read in, in every encoding, with lines that begin anywhere in a block.
TEST(FrameLog, IsReadFromAnyEncodingPackingAndPipe) {
  std::mt19937_64 random(5);
  std::string text = "n,frame time (ms),x\n";
  std::vector<std::int64_t> lengths;
  for (int i = 0; i < 60'000; ++i) {
    lengths.push_back(1'000'000 + static_cast<std::int64_t>(random() % 30'000'000));
    text += fmt::format("{},{}.{:06},{}\n", i, lengths.back() / 1'000'000, lengths.back() % 1'000'000,
                        std::string(random() % 20, 'x'));
  }
  const std::pair<const char*, std::string> forms[] = {
      {"UTF-8", text},
      {"UTF-16LE", utf16(text, false, true)},
      {"UTF-16BE", utf16(text, true, true)},
      {"UTF-16LE without a mark", utf16(text, false, false)},
      {"UTF-16BE without a mark", utf16(text, true, false)},
      {"gzip", packed(text, archive_write_add_filter_gzip)},
      {"zstd", packed(text, archive_write_add_filter_zstd)},
      {"gzip of UTF-16", packed(utf16(text, false, true), archive_write_add_filter_gzip)}};
  for (const auto& [what, bytes] : forms) {
    const FrameLog log = parse_frame_log(bytes, what);
    EXPECT_TRUE(lengths_of(log) == lengths) << what;
    EXPECT_EQ(log.broken, 0u) << what;
  }
  int ends[2];
  ASSERT_EQ(::pipe(ends), 0);
  const pid_t writer = ::fork();
  if (writer == 0) {
    for (std::size_t at = 0; at < text.size(); at += 777)
      if (::write(ends[1], text.data() + at, std::min<std::size_t>(777, text.size() - at)) < 0) break;
    ::_exit(0);
  }
  ::close(ends[1]);
  EXPECT_TRUE(lengths_of(load_frame_log(ends[0], "pipe")) == lengths);
  ::close(ends[0]);
  const std::string cut = forms[5].second.substr(0, forms[5].second.size() / 2);
  EXPECT_NE(message_of([&] { (void)parse_frame_log(cut, "cut.gz"); }).find("cut.gz: cannot be read"),
            std::string::npos);
}

TEST(FrameLog, OfOneEndlessLineTakesLittleMemory) {
  std::string text = "frame time (ms)\n16\n" + std::string(5'000'000, '7') + "\n17\n";
  const FrameLog log = parse_frame_log(text, "x");
  EXPECT_EQ(lengths_of(log), (std::vector<std::int64_t>{16'000'000, 17'000'000}));
  EXPECT_EQ(log.broken, 1u);
}

/// A run with gaps, unknown GPU times, texts, readings that come late, and hostile names.
void record_odd_run(Store& store) {
  Recorder recorder(
      store,
      {"it's \"odd\"\n</script>", "a note\nof two lines", {"b", "a"}, {{"GPU", "Marl G9"}}, {{"Preset", "High"}}});
  for (int i = 1; i <= 3'000; ++i) {
    const Moment at{(i * 10 + i / 1'000 * 5'000) * kMillisecond};
    if (i % 50 == 0)
      recorder.add(at, i < 1'500 ? snapshot_of({kLoad}, {i / 3.0})
                                 : snapshot_of({kLoad, kTemp, kApi},
                                               {i / 3.0, i % 100 == 0 ? Value(Missing{"x"}) : Value(0.1 * i),
                                                std::string(i < 2'000 ? "OpenGL" : "Vulkan")}));
    recorder.add({at, (i % 1'000 == 0 ? 5'010 : 10) * kMillisecond + Nanoseconds(i % 7),
                  i % 3 == 0 ? kUnknownTime : Nanoseconds(i)});
  }
  recorder.finish(RunEnd::game_crashed, 12);
}

TEST(RunFile, GoesThroughAnotherStoreUnchanged) {
  const Folder folder;
  Store from(folder / "a.db");
  record_odd_run(from);
  Recorder(from, {});  // without an end, and empty
  const std::int64_t ids[] = {1, 2};
  const std::string file = run_file(from, ids);
  EXPECT_TRUE(is_run_file(file));
  Store to(folder / "b.db");
  record_odd_run(to);  // so that numbers differ
  EXPECT_EQ(add_run_file(to, file, "runs.json").runs, (std::vector<std::int64_t>{2, 3}));
  EXPECT_EQ(add_run_file(to, file, "runs.json").already, 2u);
  const std::int64_t there[] = {2, 3};
  EXPECT_TRUE(run_file(to, there) == file);
  EXPECT_EQ(to.frames(2), from.frames(1));
  EXPECT_EQ(to.run(2).end, RunEnd::game_crashed);
  EXPECT_EQ(to.run(2).lost, 12u);
  EXPECT_FALSE(to.run(3).finished);
  const auto series = from.series(1), copied = to.series(2);
  ASSERT_EQ(copied.size(), series.size());
  for (std::size_t i = 0; i < series.size(); ++i) {
    EXPECT_EQ(copied[i].info, series[i].info);
    EXPECT_EQ(copied[i].at, series[i].at);
    EXPECT_EQ(copied[i].values, series[i].values);
  }
  EXPECT_TRUE(readings_csv(to, std::span(there).first(1)).substr(500) != "");
}

TEST(RunFile, ThatIsWrongAddsNothing) {
  const Folder folder;
  Store from(folder / "a.db");
  record_odd_run(from);
  const std::int64_t ids[] = {1};
  const std::string file = run_file(from, ids);
  Store to(folder / "b.db");
  const struct {
    const char *cut, *instead, *words;
  } cases[] = {
      {"\"version\":1", "\"version\":2", "is of version 2, made by a newer Idle Meter"},
      {"idle-meter-runs", "some-runs", "the file doesn't begin with the format idle-meter-runs"},
      {"\"frame_time_ns\":[10000001", "\"frame_time_ns\":[0", "run 1:.frames.frame_time_ns[0] must be a whole number"},
      {"\"frame_time_ns\":[", "\"frame_time_ns\":[7,", "frame_time_ns must be as long as presented_ns"},
      {"\"lost_frames\":12", "\"lost_frames\":-1", "run 1:.lost_frames must be a whole number from 0"},
      {"\"ended\":\"game crashed\"", "\"ended\":\"boredom\"", "run 1:.ended isn't how a run ends"},
      {"\"unit\":\"%\"", "\"unit\":\"ell\"", "unit isn't a unit"},
      {"\"started\":\"2", "\"started\":\"x", "run 1:.started isn't a time"},
      {"\"readings\":{", "\"readings\":[{", "isn't JSON"}};
  for (const auto& one : cases) {
    std::string wrong = file;
    const std::size_t at = wrong.find(one.cut);
    ASSERT_NE(at, std::string::npos) << one.cut;
    wrong.replace(at, std::string(one.cut).size(), one.instead);
    const std::string problem = message_of([&] { add_run_file(to, wrong, "runs.json"); });
    EXPECT_NE(problem.find(one.words), std::string::npos) << problem;
    EXPECT_EQ(problem.find("runs.json: "), 0u) << problem;
  }
  EXPECT_TRUE(to.runs().empty());
}

TEST(FrameLog, ComesBackAsTheBytesThatWereExported) {
  const Folder folder;
  Store from(folder / "a.db");
  record_odd_run(from);
  record_odd_run(from);
  const std::int64_t ids[] = {1, 2};
  const std::string csv = frames_csv(from, ids);
  Store to(folder / "b.db");
  const FrameLog log = parse_frame_log(csv, "frames.csv");
  EXPECT_EQ(add_frame_log(to, log, {.game = "Kelp"}).runs, (std::vector<std::int64_t>{1, 2}));
  EXPECT_TRUE(frames_csv(to, ids) == csv);
  EXPECT_EQ(to.run(2).details.settings.at("run"), "2");
}

}  // namespace
}  // namespace idlemeter
