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
#include "idlemeter/footage/footage_plan.hpp"
#include "idlemeter/footage/write_footage.hpp"
#include "idlemeter/runs/store.hpp"
#include "output.hpp"
#include "play/plan_options.hpp"
#include "runs/group_options.hpp"
#include "terminal.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

namespace fs = std::filesystem;

struct FootageArgs {
  FootageRequest request;
  std::string face, file, size = "1920x1080", over;
  std::string store = usual_store();
  bool prores = false;
};

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

int footage(FootageArgs options) {
  const Store store(options.store, Store::Mode::existing);
  options.request.over = options.over;
  (void)read_size(options.size, options.request.width, options.request.height);
  const Face face = face_of(store.run(options.request.run), options);
  const FootagePlan plan = plan_footage(store, options.request);
  if (plan.tone)
    print("The {} tone is heard at {:.2f} s of the clip{}.\n", mark_number(options.request.from) ? "mark" : "start",
          in_seconds(plan.tone->at), plan.tones == 1 ? "" : fmt::format(", the first of {}", plan.tones));
  Footage pictures(store, options.request.run, face, plan.options);
  if (pictures.extent().width == 0)
    complain("idlemeter: warning: no picture has an overlay: the run lies outside of it, or the face shows nothing\n");
  flush_output();
  catch_ctrl_c();
  catch_termination();
  const Moment began = monotonic_now();
  Progress progress(pictures.pictures(), plan.options.rate);
  if (!write_footage(pictures, {options.file, codec_for(options), plan.over},
                     [&progress](std::int64_t done) { return progress(done); })) {
    if (::isatty(2) != 0) write_progress("");
    complain("idlemeter: cancelled; {} was not written\n", options.file);
    return 1;
  }
  const FootageOptions& how = plan.options;
  print("{}: {} pictures, {}x{}, {:.1f} s{}, made {:.1f} times as fast as they play\n", options.file,
        pictures.pictures(), how.width, how.height, in_seconds(how.length),
        plan.over ? ", over the clip" : ", transparent",
        in_seconds(how.length) / std::max(1e-3, in_seconds(monotonic_now() - began)));
  return 0;
}

std::string read_rate(const std::string& text, PictureRate& into) {
  const auto rate = picture_rate_from(text);
  if (!rate) return fmt::format("'{}' isn't a rate; write it like 60, 59.94 or 60000/1001", text);
  into = *rate;
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

/// What is wrong with the options together; empty if nothing is.
std::string problem_with(const FootageArgs& options) {
  const std::string endings = options.over.empty() ? ".mov .webm " : ".mp4 .mov .mkv ";
  if (const std::string wrong = is_video(endings)(options.file); !wrong.empty()) return "--output: " + wrong;
  if (options.prores && !options.file.ends_with(".mov")) return "--prores makes a file that ends with .mov";
  if (options.request.clip_from == "tone" && !options.request.from.empty() && !mark_number(options.request.from))
    return "a tone is heard at the run's start and at marks: with '--clip-from tone', --from is a mark or left out";
  return "";
}

/// What is drawn, and to which file.
void add_picture_options(Command command, FootageArgs& options) {
  command.option("RUN", options.request.run, "The run's number").required().check(positive());
  command.option("--face", options.face,
                 "A kept face, a face file, or a starter's name; by default the one that the run was played with");
  command
      .option("-o,--output", options.file,
              "The video to write: .mov (QuickTime Animation) or .webm (VP9), both with a transparent "
              "ground; over a clip .mp4, .mov or .mkv")
      .required();
}

/// Which part of the run, and over what.
void add_clip_options(Command command, const std::shared_ptr<FootageArgs>& options) {
  const Option over = command.option("--over", options->over, "A clip to draw the overlay on; its sound is kept");
  command
      .option("--from", options->request.from,
              "The moment of the run to start at, like 0:42 or 'mark 2'; by default its start")
      .check(read_moment(true));
  command
      .option(
          "--clip-from", options->request.clip_from,
          "Where that moment is in the clip, like 0:12.4; or tone, to find it by the cue's tone in the clip's sound")
      .check([](const std::string& text) { return text == "tone" ? std::string() : read_moment(false)(text); })
      .needs(over);
  command.option("--until", options->request.until, "The moment of the run to end at; by default its end")
      .check(read_moment(true))
      .excludes(over);
  command.option("--size", options->size, "Size of the video; over a clip always the clip's")
      .shows_default()
      .check(is_size())
      .excludes(over);
  command
      .option(
          "--fps", [options](const std::string& text) { return read_rate(text, options->request.rate); },
          "Pictures per second, like 60, 59.94 or 60000/1001; by default 60, or the clip's rate")
      .excludes(over);
  command.flag("--prores", options->prores, "With .mov: encode as ProRes 4444, which is smaller but slower")
      .excludes(over);
}

}  // namespace

void add_footage(Command app) {
  const auto options = std::make_shared<FootageArgs>();
  Command command =
      app.add("footage", "Make a video of a run's overlay: transparent for an editor, or over a clip", [options] {
        const std::string wrong = problem_with(*options);
        return wrong.empty() ? footage(*options) : misuse("footage", wrong);
      });
  add_picture_options(command, *options);
  add_clip_options(command, options);
  lack_groups(command);
  command.option("--store", options->store, "The store with the runs").shows_default();
}

}  // namespace idlemeter::cli
