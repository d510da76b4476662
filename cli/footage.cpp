// idlemeter footage: a run's overlay as a video, for an editor or over a clip.
#include "idlemeter/footage/footage.hpp"

#include <fmt/format.h>
#include <unistd.h>

#include <chrono>
#include <cmath>
#include <memory>
#include <optional>

#include "commands.hpp"
#include "idlemeter/base/duration.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/draw/face_library.hpp"
#include "idlemeter/footage/clip.hpp"
#include "idlemeter/footage/write_footage.hpp"
#include "idlemeter/insight/plot_data.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/runs/store.hpp"
#include "output.hpp"
#include "plan_options.hpp"
#include "terminal.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

namespace fs = std::filesystem;

struct FootageArgs {
  std::int64_t run = 0;
  std::string face, file, size = "1920x1080", over, from, until, clip_from;
  std::string store = usual_store();
  PictureRate rate = {};
  bool prores = false;
};

/// 2 of "mark 2", 1 of "mark"; empty if it isn't a mark.
std::optional<std::size_t> mark_number(const std::string& text) {
  if (!text.starts_with("mark")) return std::nullopt;
  std::string rest = text.substr(4);
  std::erase(rest, ' ');
  if (rest.empty()) return 1;
  if (rest.size() > 4 || rest.find_first_not_of("0123456789") != std::string::npos) return std::nullopt;
  const auto number = static_cast<std::size_t>(std::stoul(rest));
  return number > 0 ? std::optional(number) : std::nullopt;
}

/// A moment of the run: a time, or a mark.
Nanoseconds moment_in(const Store& store, const FootageArgs& options, const std::string& text, Nanoseconds otherwise) {
  if (text.empty()) return otherwise;
  const auto mark = mark_number(text);
  if (!mark) return *duration_from(text, "s");
  const std::vector<PlotMark> marks = marks_in(store.series(options.run, &ReadingInfo::text));
  if (*mark > marks.size())
    throw Error(Error::Code::not_found,
                marks.empty()
                    ? fmt::format("run {} has no marks", options.run)
                    : fmt::format("run {} has {} mark{}", options.run, marks.size(), marks.size() == 1 ? "" : "s"),
                options.store, "name a time instead, like 0:42");
  return from_seconds(marks[*mark - 1].at);
}

/// The clip's moment at which the tone of the recording's start, or of a mark, begins.
Nanoseconds tone_in(const Clip& clip, bool of_mark) {
  const auto found = cues_in(clip, of_mark ? CueTone::mark : CueTone::start);
  const char* name = of_mark ? "mark" : "start";
  if (found.empty())
    throw Error(Error::Code::not_found, fmt::format("no tone of a recording's {} is heard in the clip", name),
                clip.file.string(), "say where the run begins in it with --clip-from, like 0:12.4");
  print("The {} tone is heard at {:.2f} s of the clip{}.\n", name, in_seconds(found.front().at),
        found.size() == 1 ? "" : fmt::format(", the first of {}", found.size()));
  return found.front().at;
}

FootageCodec codec_for(const FootageArgs& options) {
  const std::string ending = fs::path(options.file).extension().string();
  if (ending == ".webm") return FootageCodec::vp9;
  return options.prores ? FootageCodec::prores : FootageCodec::animation;
}

/// On a terminal, a line that says how far it is, and how long it will take.
class Progress {
 public:
  Progress(std::int64_t count, const PictureRate& rate) : count_(count), rate_(rate), shows_(::isatty(2) != 0) {}

  bool operator()(std::int64_t done) {
    const Moment now = monotonic_now();
    if (shows_ && (now - shown_ > kSecond / 4 || done == count_)) {
      shown_ = now;
      const double passed = std::max(1e-3, in_seconds(now - began_));
      const double speed = in_seconds(rate_.time_of(done)) / passed;
      const double left = passed / static_cast<double>(done) * static_cast<double>(count_ - done);
      write_progress(fmt::format("{} %, {:.1f} times as fast as it plays, {:.0f} s left", 100 * done / count_, speed,
                                 std::ceil(left)));
      if (done == count_) write_progress("");
    }
    return !stopped();
  }

 private:
  std::int64_t count_;
  PictureRate rate_;
  bool shows_;
  Moment began_ = monotonic_now(), shown_{};
};

/// The face that was chosen, else the one that the run was played with, else a starter.
Face face_of(const RunInfo& run, const FootageArgs& options) {
  const auto played = run.details.facts.find("Face");
  if (!options.face.empty() || played == run.details.facts.end())
    return FaceLibrary().load(options.face.empty() ? "benchmark" : options.face);
  try {
    return FaceLibrary().load(played->second);
  } catch (const Error&) {
    complain("idlemeter: the face '{}' that the run was played with isn't here: the benchmark starter is drawn\n",
             printable(played->second));
    return FaceLibrary().load("benchmark");
  }
}

int footage(const FootageArgs& options) {
  const Store store(options.store, Store::Mode::existing);
  const RunInfo run = store.run(options.run);
  const Face face = face_of(run, options);
  FootageFile to{options.file, codec_for(options), {}};
  FootageOptions how{.rate = options.rate};
  (void)read_size(options.size, how.width, how.height);
  how.from = moment_in(store, options, options.from, Nanoseconds{});
  if (how.from > run.length)
    throw Error(Error::Code::invalid, fmt::format("run {} is {:.1f} s long", run.id, in_seconds(run.length)),
                options.store, "name a moment in it with --from");
  if (!options.over.empty()) {
    to.over = read_clip(options.over);
    std::error_code failed;
    if (fs::equivalent(options.over, options.file, failed))
      throw Error(Error::Code::exists, "the clip can't be laid over itself", options.file, "name another file with -o");
    Nanoseconds begin{};
    if (options.clip_from == "tone") {
      begin = tone_in(*to.over, mark_number(options.from).has_value());
    } else if (!options.clip_from.empty()) {
      begin = *duration_from(options.clip_from, "s");
    }
    how.width = to.over->width;
    how.height = to.over->height;
    how.rate = to.over->rate;
    how.from -= begin;
    how.length = to.over->length;
  } else {
    how.length = std::min(run.length, moment_in(store, options, options.until, run.length)) - how.from;
    if (how.length <= Nanoseconds{})
      throw Error(Error::Code::invalid, "there is nothing between --from and --until", options.store,
                  "let --until be the later one");
  }
  Footage pictures(store, run.id, face, how);
  if (pictures.extent().width == 0)
    complain("idlemeter: warning: no picture has an overlay: the run lies outside of it, or the face shows nothing\n");
  const std::int64_t count = pictures.pictures();
  flush_output();
  catch_ctrl_c();
  catch_termination();
  const Moment began = monotonic_now();
  Progress progress(count, how.rate);
  if (!write_footage(pictures, to, [&progress](std::int64_t done) { return progress(done); })) {
    if (::isatty(2) != 0) write_progress("");
    complain("idlemeter: cancelled; {} was not written\n", options.file);
    return 1;
  }
  print("{}: {} pictures, {}x{}, {:.1f} s{}, made {:.1f} times as fast as they play\n", options.file, count, how.width,
        how.height, in_seconds(how.length), to.over ? ", over the clip" : ", transparent",
        in_seconds(how.length) / std::max(1e-3, in_seconds(monotonic_now() - began)));
  return 0;
}

std::string read_rate(const std::string& text, PictureRate& rate) {
  const std::size_t slash = text.find('/');
  char* end = nullptr;
  const double value = std::strtod(text.c_str(), &end);
  const bool is_plain = slash == std::string::npos && end == text.c_str() + text.size();
  if (is_plain && value >= 1 && value <= 240) {
    // 59.94 and 23.976 are names for ratios.
    const double whole = std::round(value);
    if (std::abs(value * 1.001 - whole) < 0.005 && value != whole) {
      rate = {static_cast<std::int64_t>(std::round(value * 1.001)) * 1'000, 1'001};
    } else {
      rate = {std::llround(value * 1'000), 1'000};
    }
    return "";
  }
  const long long count = std::atoll(text.c_str()),
                  seconds = slash == std::string::npos ? 0 : std::atoll(text.c_str() + slash + 1);
  if (count < 1 || seconds < 1 || count / seconds > 240)
    return fmt::format("'{}' isn't a rate; write it like 60, 59.94 or 60000/1001", text);
  rate = {count, seconds};
  return "";
}

Check read_moment(bool marks) {
  return [marks](const std::string& text) {
    if (duration_from(text, "s") || (marks && mark_number(text))) return std::string();
    return fmt::format("'{}' isn't a moment; write it like 0:42 or {}", text, marks ? "'mark 2'" : "tone");
  };
}

Check is_video(const std::string& endings) {
  return [endings](const std::string& file) {
    const std::string ending = fs::path(file).extension().string();
    const bool fits = !ending.empty() && endings.find(ending + " ") != std::string::npos;
    return fits ? std::string() : fmt::format("'{}' must end with one of {}", file, endings);
  };
}

}  // namespace

void add_footage(Command app) {
  const auto options = std::make_shared<FootageArgs>();
  Command command =
      app.add("footage", "Make a video of a run's overlay: transparent for an editor, or over a clip", [options] {
        const bool over = !options->over.empty();
        const std::string wrong = is_video(over ? ".mp4 .mov .mkv " : ".mov .webm ")(options->file);
        if (!wrong.empty()) return misuse("footage", "--output: " + wrong);
        if (options->prores && !options->file.ends_with(".mov"))
          return misuse("footage", "--prores makes a file that ends with .mov");
        if (options->clip_from == "tone" && !options->from.empty() && !mark_number(options->from))
          return misuse("footage",
                        "a tone is heard at the run's start and at marks: with "
                        "'--clip-from tone', --from is a mark or left out");
        return footage(*options);
      });
  command.option("RUN", options->run, "The run's number").required().check(positive());
  command.option("--face", options->face,
                 "A kept face, a face file, or a starter's name; by default the one that the run was played with");
  command
      .option("-o,--output", options->file,
              "The video to write: .mov (QuickTime Animation) or .webm (VP9), both with a transparent "
              "ground; over a clip .mp4, .mov or .mkv")
      .required();
  const Option over =
      command.option("--over", options->over, "A clip that the overlay is laid over; its sound is kept");
  command.option("--from", options->from, "The run's moment to begin with, like 0:42 or 'mark 2'; by default its start")
      .check(read_moment(true));
  command
      .option("--clip-from", options->clip_from,
              "Where that moment is in the clip, like 0:12.4; or tone, to find the cue's tone in the clip's sound")
      .check([](const std::string& text) { return text == "tone" ? std::string() : read_moment(false)(text); })
      .needs(over);
  command.option("--until", options->until, "The run's moment to end with; by default its end")
      .check(read_moment(true))
      .excludes(over);
  command.option("--size", options->size, "Size of the pictures; over a clip it is the clip's")
      .shows_default()
      .check(is_size())
      .excludes(over);
  command
      .option(
          "--fps", [options](const std::string& text) { return read_rate(text, options->rate); },
          "Pictures a second, like 60, 59.94 or 60000/1001; 60 unless said otherwise, over a clip the clip's")
      .excludes(over);
  command.flag("--prores", options->prores, "With .mov: as ProRes 4444, which is smaller and takes longer to make")
      .excludes(over);
  command.lacks("--by,--tag",
                "runs are named by their numbers here: 'idlemeter runs --tag TAG' lists them, and compare "
                "and report take both options");
  command.option("--store", options->store, "The file that holds runs").shows_default();
}

}  // namespace idlemeter::cli
