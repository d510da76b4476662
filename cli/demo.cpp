// idlemeter demo: the whole job on the simulated machine and game.
#include <fmt/format.h>

#include <memory>

#include "commands.hpp"
#include "demo_face.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/file.hpp"
#include "idlemeter/draw/image.hpp"
#include "idlemeter/draw/painter.hpp"
#include "idlemeter/draw/png.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/face/lay_out.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/store.hpp"
#include "output.hpp"
#include "picture.hpp"
#include "run_tables.hpp"
#include "simulation.hpp"

namespace idlemeter::cli {
namespace {

namespace fs = std::filesystem;

struct Options {
  std::string folder = "idlemeter-demo";
};

constexpr double kWarmUp = 20, kRun = 60;  // seconds of virtual time; a run is a lap of Tidepool Rally

/// Plays a lap with that preset; the overlay as it stands at the end is drawn over the game's picture if a file is
/// named.
std::int64_t record(Store& store, const fs::path& folder, const std::string& preset, const fs::path& face_file,
                    const fs::path& picture) {
  rig::Simulation session(folder / "machine", {.preset = preset});
  session.play(kWarmUp);
  Recorder recorder(store, session.details());
  session.play(kRun, &recorder);
  if (!picture.empty()) {
    Image image = rig::game_picture(1920, 1080);
    Painter painter;
    painter.draw(lay_out(load_face(face_file), image.width, image.height, session.values(), session.history(), painter),
                 image);
    write_png(image, picture);
  }
  return recorder.finish();
}

int demo(const Options& options) {
  const fs::path folder = options.folder;
  const fs::path face = folder / "bench_corner.toml", picture = folder / "overlay.png", file = folder / "runs.db";
  std::error_code failed;
  fs::create_directories(folder, failed);
  if (failed) throw Error("cannot make the folder: " + failed.message(), folder.string(), "name another with --folder");
  print("Playing two laps of Tidepool Rally on Bramble, a simulated machine, on a virtual clock …\n\n");
  if (!fs::exists(face)) replace_file(face, kDemoFace);  // the user may have begun to change it
  Store store(file);
  const std::int64_t ultra = record(store, folder, "Ultra", face, picture);
  const std::int64_t high = record(store, folder, "High", face, {});
  print("{}\n", comparison_table({insight_of(store, ultra), insight_of(store, high)}, Readings::main));
  print(
      "Files:\n"
      "  {:<32}  the overlay over the game's picture\n"
      "  {:<32}  the face that it was drawn from: change it\n"
      "  {:<32}  the store with both runs\n"
      "  {:<32}  the machine's /proc and /sys, which its readings were taken from\n\n",
      picture.string(), face.string(), file.string(), (folder / "machine").string());
  print(
      "What to try next:\n"
      "  {:<72}  what this machine measures\n"
      "  {:<72}  what the simulated one does\n"
      "  {:<72}  your own face\n"
      "  {:<72}  one run by itself\n",
      "idlemeter readings", "idlemeter readings --rig",
      fmt::format("idlemeter face draw {} --rig -o mine.png", face.string()),
      fmt::format("idlemeter runs show {} --store {}", ultra, file.string()));
  return 0;
}

}  // namespace

void add_demo(Command app) {
  const auto options = std::make_shared<Options>();
  Command command = app.add("demo", "Run the whole job on a simulated machine and game, in a few seconds",
                            [options] { return demo(*options); });
  command.option("--folder", options->folder, "The folder to write to; runs are added to its store").shows_default();
}

}  // namespace idlemeter::cli
