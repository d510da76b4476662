// A run's overlay as a video: the same pixels as live, in time with a clip, all or nothing.
#include "idlemeter/footage/footage.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <gtest/gtest.h>
#include <signal.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <filesystem>
#include <fstream>
#include <random>

#include "command.hpp"
#include "folder.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/footage/clip.hpp"
#include "idlemeter/footage/footage_plan.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/store.hpp"
#include "meter/cues/tone.hpp"
#include "stores.hpp"

extern char** environ;

namespace idlemeter {
namespace {

namespace fs = std::filesystem;
using testing::expect_steps;
using testing::Outcome;
using testing::run;
using testing::Step;
using Sound = std::vector<std::int16_t>;

/// The first three runs of the demo, once for all tests.
class FootageFiles : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    folder_ = new testing::Folder();
    ASSERT_EQ(run(*folder_, "demo --brief --folder d").status, 0);
  }
  static void TearDownTestSuite() {
    delete folder_;
    folder_ = nullptr;
  }

  static const testing::Folder& folder() { return *folder_; }

  static Outcome make(const std::string& arguments) { return run(*folder_, "footage --store d/runs.db " + arguments); }

  /// What ffmpeg says to that.
  static std::string ffmpeg(const std::string& arguments) {
    const std::string command = fmt::format("cd '{}' && ffmpeg -v error -y {} -f {}", folder_->path().string(),
                                            arguments, "rawvideo raw && cat raw");
    return said_by(command);
  }

  static std::string said_by(const std::string& command) {
    FILE* pipe = popen(command.c_str(), "r");
    std::string said;
    char buffer[65'536];
    for (std::size_t got; (got = fread(buffer, 1, sizeof buffer, pipe)) > 0;) said.append(buffer, got);
    EXPECT_EQ(pclose(pipe), 0) << command;
    return said;
  }

 private:
  static inline testing::Folder* folder_ = nullptr;
};

TEST_F(FootageFiles, ShowTheLiveOverlaysPixels) {
  constexpr std::size_t kSize = 640 * 360 * 4;
  ASSERT_EQ(make("2 -o o.mov --from 0:10 --until 0:11 --fps 30 --size 640x360").status, 0);
  const std::string all = ffmpeg("-i o.mov -pix_fmt rgba");
  ASSERT_EQ(all.size(), 30 * kSize);
  std::vector<std::string> seen;
  for (const auto& [picture, at] : {std::pair(0, "10"), std::pair(7, "10.233333333"), std::pair(29, "10.966666666")}) {
    ASSERT_EQ(
        run(folder(), fmt::format("face draw benchmark --run 2 --at {}s --size 640x360 -o p.png --store d/runs.db", at))
            .status,
        0);
    seen.push_back(ffmpeg("-i p.png -pix_fmt rgba"));
    EXPECT_TRUE(seen.back() == all.substr(static_cast<std::size_t>(picture) * kSize, kSize)) << at;
  }
  EXPECT_NE(seen.front(), seen.back()) << "it moves";
  EXPECT_NE(seen.front().find_first_not_of('\0'), std::string::npos) << "it shows something";
}

TEST_F(FootageFiles, AreNoMoreThanTheRun) {
  EXPECT_NE(make("1 -o whole.mov --size 64x48 --fps 10").out.find("601 pictures, 64x48, 60.0 s, transparent"),
            std::string::npos);
  EXPECT_NE(make("1 -o part.mov --size 64x48 --fps 59.94 --until 1s").out.find("60 pictures"), std::string::npos);
  EXPECT_NE(said_by("ffprobe -v error -show_entries stream=codec_name,r_frame_rate '" +
                    (folder() / "part.mov").string() + "'")
                .find("r_frame_rate=60000/1001"),
            std::string::npos);
}

TEST_F(FootageFiles, LieOverAClipFromItsToneOn) {
  Sound sound(3 * meter::kToneRate);
  std::mt19937 random(7);
  for (std::int16_t& sample : sound) sample = static_cast<std::int16_t>(static_cast<int>(random() % 4'000) - 2'000);
  const Sound tone = meter::tone_of(meter::Cue::Kind::start);
  const std::size_t begin = meter::kToneRate + meter::kToneRate / 4;
  for (std::size_t i = 0; i < tone.size(); ++i)
    sound[begin + i] = static_cast<std::int16_t>(sound[begin + i] + tone[i]);
  std::ofstream(folder() / "sound.raw", std::ios::binary)
      .write(reinterpret_cast<const char*>(sound.data()), static_cast<std::streamsize>(2 * sound.size()));
  (void)said_by(fmt::format(
      "cd '{}' && ffmpeg -v error -y -f lavfi -i color=0x204060:s=320x240:r=30:d=3 -f s16le -ar 48000 -ac 1 "
      "-i sound.raw -c:v libx264 -pix_fmt yuv420p -c:a flac clip.mkv",
      folder().path().string()));
  const Outcome made = make("1 --over clip.mkv --clip-from tone -o over.mkv");
  ASSERT_EQ(made.status, 0) << made.err;
  EXPECT_NE(made.out.find("The start tone is heard at 1.25 s of the clip."), std::string::npos) << made.out;
  EXPECT_NE(made.out.find("90 pictures, 320x240, 3.0 s, over the clip"), std::string::npos) << made.out;
  const auto sound_of = [&](const char* file) {
    return said_by(
        fmt::format("cd '{}' && ffmpeg -v error -i {} -map 0:a -c copy -f md5 -", folder().path().string(), file));
  };
  EXPECT_EQ(sound_of("over.mkv"), sound_of("clip.mkv"));
  const std::string over = ffmpeg("-i over.mkv -pix_fmt rgb24"), plain = ffmpeg("-i clip.mkv -pix_fmt rgb24");
  ASSERT_EQ(over.size(), plain.size());
  constexpr std::size_t kPicture = 320 * 240 * 3;
  const auto differs = [&](std::size_t picture) {
    int most = 0;
    for (std::size_t i = picture * kPicture; i < (picture + 1) * kPicture; ++i)
      most = std::max(most, std::abs(static_cast<unsigned char>(over[i]) - static_cast<unsigned char>(plain[i])));
    return most > 60;
  };
  EXPECT_FALSE(differs(36)) << "1.20 s: the run hasn't begun";
  EXPECT_TRUE(differs(39)) << "1.30 s";
  EXPECT_TRUE(differs(89));
}

TEST_F(FootageFiles, SayWhatIsWrong) {
  std::ofstream(folder() / "text.mp4") << "no video";
  std::ofstream(folder() / "list.m3u8") << "#EXTM3U\n#EXTINF:1,\nhttp://127.0.0.1:9/x.ts\n";
  (void)said_by(
      fmt::format("cd '{}' && ffmpeg -v error -y -f lavfi -i color=red:s=64x48:r=10:d=1 -c:v libx264 -- silent.mp4 && "
                  "cp silent.mp4 ./-i.mp4",
                  folder().path().string()));
  const Step steps[] = {
      {"1 -o a.avi", 2, {"'a.avi' must end with one of .mov .webm"}},
      {"1 -o a.mov --over silent.mp4 --fps 30", 2, {"--fps"}},
      {"1 -o a.mov --fps 0", 2, {"isn't a rate"}},
      {"1 -o a.webm --prores", 2, {"--prores makes a file that ends with .mov"}},
      {"1 -o late.mp4 --over silent.mp4 --clip-from 0:30", 0, {"warning: no picture has an overlay"}},
      {"1 -o a.mov --from soon", 2, {"isn't a moment"}},
      {"1 -o a.mov --from 2:00", 1, {"run 1 is 60.0 s long"}},
      {"1 -o a.mov --from 0:30 --until 0:20", 1, {"nothing between"}},
      {"1 -o a.mov --from 'mark 2'", 1, {"run 1 has no marks"}},
      {"1 -o a.mov --face nosuch", 1, {"there is no face 'nosuch'"}},
      {"77 -o a.mov", 1, {"there is no run 77"}},
      {"1 -o nowhere/a.mov", 1, {"nowhere/a.mov: cannot write the file (No such file or directory)"}},
      {"1 -o a.mp4 --over text.mp4", 1, {"text.mp4: ffprobe can't read it"}},
      {"1 -o a.mp4 --over gone.mp4", 1, {"there is no such file"}},
      {"1 -o a.mp4 --over list.m3u8", 1, {"list.m3u8"}},
      {"1 -o silent.mp4 --over silent.mp4", 1, {"would be overwritten"}},
      {"1 -o a.mp4 --over silent.mp4 --clip-from tone", 1, {"no sound"}},
      {"1 -o a.mp4 --over silent.mp4 --clip-from tone --from 0:10", 2, {"--from is a mark or left out"}},
      {"1 -o ./-o.mp4 --over=-i.mp4", 0, {"10 pictures, 64x48"}}};
  expect_steps(folder(), [&] {
    std::vector<Step> all(std::begin(steps), std::end(steps));
    for (Step& step : all) step.arguments = "footage --store d/runs.db " + step.arguments;
    return all;
  }());
  EXPECT_FALSE(fs::exists(folder() / "a.mov"));
  EXPECT_FALSE(fs::exists(folder() / "a.mp4"));
  const Outcome without = run(folder(), "footage 1 --store d/runs.db -o a.mov", "PATH=/nowhere");
  EXPECT_EQ(without.status, 1);
  EXPECT_NE(without.err.find("ffmpeg, which isn't installed; install it"), std::string::npos) << without.err;
}

/// Starts it, sends the signal after a while, and returns how it ended.
int end_by(const testing::Folder& folder, int signal, std::chrono::milliseconds after, const std::string& file) {
  const std::string store = (folder / "d/runs.db").string(), to = (folder / file).string();
  std::array<std::string, 9> words = {IDLEMETER_COMMAND, "footage", "1", "--store", store, "-o", to,
                                      "--size",          "320x180"};
  std::vector<char*> pointers;
  for (std::string& word : words) pointers.push_back(word.data());
  pointers.push_back(nullptr);
  posix_spawn_file_actions_t actions;
  posix_spawn_file_actions_init(&actions);
  posix_spawn_file_actions_addopen(&actions, 1, "/dev/null", O_WRONLY, 0);
  posix_spawn_file_actions_addopen(&actions, 2, "/dev/null", O_WRONLY, 0);
  pid_t pid = 0;
  EXPECT_EQ(::posix_spawn(&pid, IDLEMETER_COMMAND, &actions, nullptr, pointers.data(), environ), 0);
  posix_spawn_file_actions_destroy(&actions);
  ::usleep(static_cast<useconds_t>(after.count() * 1'000));
  ::kill(pid, signal);
  int status = 0;
  ::waitpid(pid, &status, 0);
  return status;
}

std::size_t files_in(const fs::path& folder) {
  return static_cast<std::size_t>(std::distance(fs::directory_iterator(folder), fs::directory_iterator()));
}

TEST_F(FootageFiles, AreWholeOrNotThere) {
  fs::create_directory(folder() / "out");
  std::ofstream(folder() / "out/old.mov") << "as it was";
  std::mt19937 random(50);
  int killed = 0;
  for (int turn = 0; turn < 50; ++turn) {
    const int status = end_by(folder(), SIGKILL, std::chrono::milliseconds(random() % 400),
                              turn % 2 == 0 ? "out/old.mov" : "out/new.mov");
    killed += WIFSIGNALED(status) ? 1 : 0;
    ASSERT_EQ(files_in(folder() / "out"), 1u) << turn;
    ASSERT_EQ(testing::text_of(folder() / "out/old.mov"), "as it was") << turn;
  }
  EXPECT_EQ(killed, 50) << "it takes longer than that";
  const int cancelled = end_by(folder(), SIGINT, std::chrono::milliseconds(600), "out/new.mov");
  EXPECT_TRUE(WIFEXITED(cancelled) && WEXITSTATUS(cancelled) == 1) << cancelled;
  EXPECT_EQ(files_in(folder() / "out"), 1u);
}

/// A tone in a game's noise, at 48,000 samples a second.
Sound noise_with(const std::vector<std::pair<meter::Cue::Kind, double>>& tones, double loudness, double hum) {
  Sound sound(20 * meter::kToneRate);
  std::mt19937 random(3);
  std::normal_distribution<double> normal;
  for (std::size_t i = 0; i < sound.size(); ++i)
    sound[i] = static_cast<std::int16_t>(
        std::clamp(32'767 * (loudness * normal(random) +
                             hum * std::sin(2 * 3.14159265 * 880 / meter::kToneRate * static_cast<double>(i))),
                   -30'000.0, 30'000.0));
  for (const auto& [kind, at] : tones) {
    const Sound tone = meter::tone_of(kind);
    const auto begin = static_cast<std::size_t>(at * meter::kToneRate);
    for (std::size_t i = 0; i < tone.size(); ++i)
      sound[begin + i] = static_cast<std::int16_t>(std::clamp(sound[begin + i] + tone[i], -32'767, 32'767));
  }
  return sound;
}

TEST(CuesIn, FindsTonesAndNothingElse) {
  using Kind = meter::Cue::Kind;
  const std::vector<std::pair<Kind, double>> all = {{Kind::start, 2.5},  {Kind::mark, 6}, {Kind::mark, 9.25},
                                                    {Kind::failure, 11}, {Kind::end, 14}, {Kind::start, 17}};
  const struct {
    double loudness, hum;
    CueTone tone;
    std::vector<double> at;
  } cases[] = {{0, 0, CueTone::start, {2.5, 17}},      {0.02, 0, CueTone::start, {2.5, 17}},
               {0.2, 0, CueTone::start, {2.5, 17}},    {0.02, 0, CueTone::mark, {6, 9.25}},
               {0.1, 0, CueTone::mark, {6, 9.25}},     {0.1, 0, CueTone::end, {14}},
               {0.05, 0.03, CueTone::start, {2.5, 17}}};
  for (const auto& one : cases) {
    std::vector<double> at;
    for (const CueFound& found : cues_in(noise_with(all, one.loudness, one.hum), meter::kToneRate, one.tone))
      at.push_back(in_seconds(found.at));
    ASSERT_EQ(at.size(), one.at.size()) << one.loudness << " " << fmt::format("{}", fmt::join(at, " "));
    for (std::size_t i = 0; i < at.size(); ++i) EXPECT_NEAR(at[i], one.at[i], 0.011) << one.loudness;
  }
  for (const CueTone tone : {CueTone::start, CueTone::end, CueTone::mark}) {
    for (const double hum : {0.0, 0.3}) EXPECT_TRUE(cues_in(noise_with({}, 0.1, hum), meter::kToneRate, tone).empty());
  }
  EXPECT_TRUE(cues_in({}, meter::kToneRate, CueTone::start).empty());
  EXPECT_THROW((void)cues_in({}, 100, CueTone::start), Error);
}

TEST(PictureRate, CountsExactly) {
  const PictureRate rate{60'000, 1'001};
  EXPECT_EQ(rate.time_of(0), Nanoseconds{});
  EXPECT_EQ(rate.time_of(60'000), 1'001 * kSecond);
  EXPECT_EQ(rate.time_of(60'000'000'000), 1'001'000'000 * kSecond);
  EXPECT_EQ((PictureRate{30, 1}.time_of(7)), Nanoseconds(233'333'333));
}

TEST_F(FootageFiles, BeginAtAMark) {
  {
    Store store(folder() / "marked.db");
    Recorder recorder(store, {.game = "Tidepool Rally"});
    const ReadingInfo mark{.id = "recording.mark", .kind = DeviceKind::frames, .text = true};
    for (int i = 1; i <= 400; ++i) {
      recorder.add(FrameRecord{Moment{10 * i * kMillisecond}, 10 * kMillisecond});
      if (i % 100 == 0)
        recorder.add(Moment{10 * i * kMillisecond}, testing::snapshot_of({mark}, {fmt::format("{}", i / 100)}));
    }
    recorder.finish();
  }
  const Outcome made =
      run(folder(), "footage 1 --store marked.db --from 'mark 2' --until mark3 --fps 25 --size 64x48 -o m.mov");
  EXPECT_NE(made.out.find("25 pictures, 64x48, 1.0 s"), std::string::npos) << made.out << made.err;
  EXPECT_NE(run(folder(), "footage 1 --store marked.db --from mark9 -o m.mov").err.find("run 1 has 4 marks"),
            std::string::npos);
}

TEST_F(FootageFiles, RefuseWhatCannotBe) {
  const Store store(folder() / "d/runs.db", Store::Mode::existing);
  const FootageOptions wrong[] = {
      {.width = 0}, {.height = 20'000}, {.rate = {0, 1}}, {.rate = {60, 0}}, {.length = -kSecond}};
  for (const FootageOptions& options : wrong) EXPECT_THROW(Footage(store, 1, Face{}, options), Error);
  Footage before(store, 1, Face{}, {.width = 16, .height = 16, .from = -10 * kSecond, .length = kSecond});
  EXPECT_EQ(before.pictures(), 60);
  EXPECT_EQ(before.extent().width, 0);
  EXPECT_EQ(before.next().width, 0);
}

TEST(FootageRequests, AreReadAsPeopleWriteThem) {
  const std::tuple<const char*, std::int64_t, std::int64_t> rates[] = {{"60", 60'000, 1'000},
                                                                       {"59.94", 60'000, 1'001},
                                                                       {"23.976", 24'000, 1'001},
                                                                       {"12.5", 12'500, 1'000},
                                                                       {"25/1", 25, 1},
                                                                       {"60000/1001", 60'000, 1'001},
                                                                       {"0", 0, 0},
                                                                       {"241", 0, 0},
                                                                       {"fast", 0, 0},
                                                                       {"60fps", 0, 0},
                                                                       {"5/0", 0, 0},
                                                                       {"1000/1", 0, 0}};
  for (const auto& [text, count, seconds] : rates) {
    const auto rate = picture_rate_from(text);
    EXPECT_EQ(rate ? rate->count : 0, count) << text;
    EXPECT_EQ(rate ? rate->seconds : 0, seconds) << text;
  }
  const std::pair<const char*, std::size_t> marks[] = {{"mark", 1},   {"mark 2", 2}, {"mark3", 3},  {"mark 0", 0},
                                                       {"mark x", 0}, {"0:42", 0},   {"remark", 0}, {"mark 99999", 0}};
  for (const auto& [text, number] : marks) EXPECT_EQ(mark_number(text).value_or(0), number) << text;
}

}  // namespace
}  // namespace idlemeter
