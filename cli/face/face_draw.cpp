// idlemeter face draw: a face as a picture, or in the terminal.
#include <fmt/format.h>

#include <chrono>
#include <memory>

#include "face/face.hpp"
#include "idlemeter/base/duration.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/file.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/base/watched_file.hpp"
#include "idlemeter/draw/face_library.hpp"
#include "idlemeter/draw/face_preview.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/draw/painter.hpp"
#include "idlemeter/draw/png.hpp"
#include "idlemeter/face/face.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/face/scene.hpp"
#include "idlemeter/face/terminal_view.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/run_moment.hpp"
#include "idlemeter/runs/store.hpp"
#include "output.hpp"
#include "picture.hpp"
#include "terminal.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

namespace fs = std::filesystem;

struct DrawOptions {
  std::string face, picture, over, ground, size = "1920x1080", store = usual_store();
  std::int64_t run = 0;
  double at = -1;  // seconds; under 0: the run's end
  bool watch = false;
  TerminalStyle::Colors colors = terminal_colors();
  ValueOptions values;
};

Image ground(const DrawOptions& options) {
  if (!options.over.empty()) return load_png(options.over);
  int width = 0, height = 0;
  (void)read_size(options.size, width, height);
  const auto named = rig::ground_from(options.ground);
  return named ? rig::game_picture(width, height, *named) : Image(width, height);
}

void warn_of_unknown(const std::vector<std::string>& ids, const Snapshot& values) {
  for (const std::string& id : ids) complain("idlemeter: warning: {}\n", unknown_reading(id, values));
}

/// Where the values of a preview come from: this machine, the simulated one, or a run that was recorded.
class Preview {
 public:
  Preview(const DrawOptions& options, const Face& face) : options_(options) {
    if (options.run > 0) {
      store_.emplace(options.store, Store::Mode::existing);
      const double end = in_seconds(store_->run(options.run).length);
      if (options.at > end)
        throw Error(Error::Code::invalid, fmt::format("run {} is {:.1f} s long", options.run, end), "",
                    "name a moment in it with --at");
      at_ = Moment{from_seconds(options.at < 0 ? end : options.at)};
    } else {
      values_.emplace(options.values, readings_of(face));
    }
  }

  /// Draws the face with the values of now.
  void show(const Face& face, const std::string& name) {
    if (store_) {
      const RunMoment moment = moment_of(*store_, options_.run, at_, readings_of(face));
      return show(face, name, moment.values, moment.history);
    }
    values_->ask(readings_of(face));
    const bool virtual_time = !options_.values.rig.empty();
    const Snapshot now = values_->next(virtual_time && !first_ ? 0.5 : 0);
    first_ = false;
    show(face, name, now, values_->history());
  }

 private:
  void show(const Face& face, const std::string& name, const Snapshot& values, const History& history) {
    if (!options_.picture.empty()) return draw(face, name, values, history);
    const int width = static_cast<int>(std::min<std::size_t>(terminal_width(), 100));
    const std::string text = to_terminal(face, values, history, {width, options_.colors});
    if (options_.watch && terminal_height() > 0) write_raw(kClearScreen);
    write_raw(text);
    flush_output();
    if (!options_.watch) warn_of_unknown(unknown_readings(face, values), values);
  }

  void draw(const Face& face, const std::string& name, const Snapshot& values, const History& history) {
    const FacePreview preview = preview_face(face, ground(options_), values, history, painter_);
    const Image& image = preview.image;
    warn_of_unknown(preview.unknown, values);
    for (const std::string& problem : preview.problems) complain("idlemeter: warning: {}\n", problem);
    if (const Rect& box = preview.scene.bounds; !preview.fits)
      complain(
          "idlemeter: warning: the face needs {:.0f}x{:.0f} pixels at ({:.0f}, {:.0f}), more than the picture of "
          "{}x{} has there\n",
          box.width, box.height, box.x, box.y, image.width, image.height);
    write_png(image, options_.picture);
    print("{}: '{}' at {}x{}\n", options_.picture, face.name.empty() ? name : face.name, image.width, image.height);
    flush_output();
  }

  const DrawOptions& options_;
  std::optional<Store> store_;
  Moment at_{};
  std::optional<Values> values_;
  bool first_ = true;
  Painter painter_;
};

/// Redraws on every save, in a terminal also twice a second; what can't be read is reported, and the last picture
/// stays.
void watch(const DrawOptions& options, const fs::path& file, Face face, Preview& preview) {
  using Clock = std::chrono::steady_clock;
  catch_ctrl_c();
  const bool alive = options.picture.empty() && options.run == 0 && terminal_height() > 0;
  WatchedFile watched(file);
  (void)watched.has_changed();
  bool broken = false;
  for (auto drawn = Clock::now(); !stopped(); rest(std::chrono::milliseconds(50))) {
    const bool saved = watched.has_changed();
    if (!saved && (!alive || broken || Clock::now() - drawn < std::chrono::milliseconds(500))) continue;
    drawn = Clock::now();
    try {
      if (saved) face = load_face(file);
      preview.show(face, options.face);
      broken = false;
    } catch (const Error& error) {
      broken = true;
      complain("{}\nidlemeter: the last good picture stays\n", error.what());
    }
  }
}

/// A picture that the face shows, or that it is drawn over, isn't replaced by the result.
void expect_no_input_is_replaced(const DrawOptions& options, const fs::path& file, const Face& face) {
  std::vector<fs::path> inputs = {file};
  for (const std::string& picture : pictures_of(face)) inputs.push_back(file.parent_path() / picture);
  if (!options.over.empty()) inputs.emplace_back(options.over);
  expect_replaceable(options.picture, FileKind::other, inputs);
}

int draw(const DrawOptions& options) {
  FaceLibrary faces;
  const fs::path file = faces.file_of(options.face);
  const Face face = load_face(file);
  if (!options.picture.empty()) expect_no_input_is_replaced(options, file, face);
  Preview preview(options, face);
  preview.show(face, options.face);
  if (options.watch) watch(options, file, face, preview);
  return 0;
}

std::string read_colors(const std::string& word, TerminalStyle::Colors& colors) {
  using Colors = TerminalStyle::Colors;
  if (word != "none" && word != "some" && word != "full") return fmt::format("'{}' isn't none, some or full", word);
  colors = word == "none" ? Colors::none : word == "some" ? Colors::some : Colors::full;
  return "";
}

std::string read_moment(const std::string& text, double& seconds) {
  const auto moment = duration_from(text, "s");
  if (!moment) return fmt::format("'{}' isn't a moment; write it like 42s or 1:30", text);
  seconds = in_seconds(*moment);
  return "";
}

/// As a PNG or in the terminal.
void add_picture_options(Command command, const std::shared_ptr<DrawOptions>& options) {
  const Option output = command.option("-o,--output", options->picture, "The PNG to write");
  const Option over =
      command.option("--over", options->over, "A PNG to draw over; by default the background is transparent")
          .needs(output);
  command.option("--size", options->size, "Size of the picture")
      .shows_default()
      .check(is_size())
      .needs(output)
      .excludes(over);
  command.option("--ground", options->ground, "A sample picture to draw it over: day, night (dark) or reef (busy)")
      .check(one_of({"day", "night", "reef"}))
      .needs(output)
      .excludes(over);
  command.flag("--watch", options->watch, "Redraw on every save, until Ctrl-C");
  command
      .option(
          "--color", [options](const std::string& word) { return read_colors(word, options->colors); },
          "In the terminal: none, some (256 colours) or full (24 bits); by default what the terminal supports")
      .excludes(output);
}

}  // namespace

void add_face_draw(Command face) {
  const auto options = std::make_shared<DrawOptions>();
  Command command =
      face.add("draw", "Draw a face as a PNG or, without -o, in the terminal", [options] { return draw(*options); });
  command.option("FACE", options->face, "A kept face, a face file, or a starter's name").required();
  add_picture_options(command, options);
  const Option run =
      command.option("--run", options->run, "Use the values of the recorded run with this number").check(positive());
  command
      .option(
          "--at", [options](const std::string& text) { return read_moment(text, options->at); },
          "The moment of the run, like 42s or 1:30; by default its end")
      .needs(run);
  command.option("--store", options->store, "The store with the runs").shows_default().needs(run);
  add_value_options(command, options->values);
  command.option("--rig").excludes(run);
}

}  // namespace idlemeter::cli
