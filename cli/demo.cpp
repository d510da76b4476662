// idlemeter demo: the whole job on the simulated machine and game.
#include <fmt/format.h>

#include <memory>

#include "commands.hpp"
#include "demo_face.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/file.hpp"
#include "idlemeter/draw/face_preview.hpp"
#include "idlemeter/draw/painter.hpp"
#include "idlemeter/draw/png.hpp"
#include "idlemeter/face/face_toml.hpp"
#include "idlemeter/insight/change_words.hpp"
#include "idlemeter/insight/changes.hpp"
#include "idlemeter/insight/compare.hpp"
#include "idlemeter/insight/comparison_text.hpp"
#include "idlemeter/insight/figure_set.hpp"
#include "idlemeter/insight/run_text.hpp"
#include "idlemeter/insight/words.hpp"
#include "idlemeter/report/report_page.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/store.hpp"
#include "output.hpp"
#include "picture.hpp"
#include "simulation.hpp"

namespace idlemeter::cli {
namespace {

namespace fs = std::filesystem;

struct DemoArgs {
  std::string folder = "idlemeter-demo";
  bool brief = false, long_session = false;
};

constexpr double kSoon = 20, kWarm = 100, kRun = 60;  // seconds of virtual time; a run is a lap of Tidepool Rally

/// Plays a lap with those settings, after so long; the overlay as it stands at the end is drawn over the game's picture
/// if a file is named.
std::int64_t record(Store& store, const fs::path& folder, const rig::GameSettings& settings, double after,
                    const fs::path& face_file = {}, const fs::path& picture = {}) {
  rig::Simulation session(folder / "machine", settings);
  session.play(after);
  Recorder recorder(store, session.details());
  session.play(kRun, &recorder);
  if (!picture.empty()) {
    Painter painter;
    const Image ground = rig::game_picture(1920, 1080);
    write_png(preview_face(load_face(face_file), ground, session.values(), session.history(), painter).image, picture);
  }
  return recorder.finish();
}

/// Several laps in a row on a machine that has warmed up, as when settings are compared.
RunGroup record_group(Store& store, const fs::path& folder, const char* name, const rig::GameSettings& settings,
                      const FigureSet& set) {
  constexpr int kRuns = 5;
  rig::Simulation session(folder / "machine", settings);
  session.play(kWarm);
  RunGroup group{name, {}};
  for (int i = 0; i < kRuns; ++i) {
    RunDetails details = session.details();
    details.tags = {"compared"};
    Recorder recorder(store, details);
    session.play(kRun, &recorder);
    group.runs.push_back(insight_of(store, recorder.finish(), {.figures = set.request()}));
  }
  return group;
}

/// Lists the files that were written, and commands to try next.
void print_files(const fs::path& folder, std::int64_t first_run, bool brief) {
  const std::string store = (folder / "runs.db").string();
  const auto file = [](const fs::path& name, const char* about) { print("  {:<32}  {}\n", name.string(), about); };
  print("Files:\n");
  if (!brief) file(folder / "report.html", "the comparison as a page: open it in a browser");
  file(folder / "overlay.png", "the overlay over the game's picture");
  file(folder / "bench_corner.toml", "the face that it was drawn from: change it");
  file(store, "the store with the runs");
  file(folder / "machine", "the machine's /proc and /sys, which its readings were taken from");
  const auto next = [](const std::string& command, const char* about) { print("  {:<72}  {}\n", command, about); };
  print("\nWhat to try next:\n");
  next("idlemeter readings", "what this machine measures");
  next("idlemeter readings --rig", "what the simulated one does");
  next(fmt::format("idlemeter face draw {} --rig -o mine.png", (folder / "bench_corner.toml").string()),
       "your own face");
  next(fmt::format("idlemeter runs show {} --store {}", first_run, store),
       "one run by itself, and whether to trust it");
  next(fmt::format("idlemeter runs show {} --store {}", first_run + 2, store),
       "a calm one: warmed up, and nothing throttled");
  if (brief) return;
  next(fmt::format("idlemeter compare {}-{} {}-{} --store {}", first_run + 3, first_run + 7, first_run + 8,
                   first_run + 12, store),
       "the two groups again");
}

/// Twenty minutes in which something goes wrong twice, and what can be said of it afterwards.
int demo_long(const fs::path& folder) {
  print("Playing Tidepool Rally on Bramble for twenty minutes, on a virtual clock …\n\n");
  Store store(folder / "runs.db");
  rig::Simulation session(folder / "machine", rig::long_session());
  Recorder recorder(store, session.details());
  session.play(20 * 60, &recorder);
  const std::int64_t run = recorder.finish();
  print("{}\n", changes_text(find_changes(store, run)));
  print("What to try next:\n  idlemeter changes {0} --store {1}\n  idlemeter changes {0} --store {1} -o changes.png\n",
        run, (folder / "runs.db").string());
  return 0;
}

void compare_upscaler(Store& store, const fs::path& folder) {
  const FigureSet set({"frame.average", "frame.low@1%", "frame.median", "gpu.power"});
  const RunGroup native = record_group(store, folder, "native", {.preset = "Medium", .seed = 3}, set);
  const RunGroup upscaled =
      record_group(store, folder, "upscaled", {.preset = "Medium", .seed = 4, .upscaler = true}, set);
  const CompareOptions how{.told = {"Upscaler"}};
  print("Five laps each without and with the upscaler:\n\n{}\n",
        comparison_text(compare({native, upscaled}, set, how), {}));
  replace_file(folder / "report.html", report_page(store, {native, upscaled}, set, {.comparison = how}));
}

int demo(const DemoArgs& options) {
  const fs::path folder = options.folder;
  const fs::path face = folder / "bench_corner.toml", picture = folder / "overlay.png", file = folder / "runs.db";
  std::error_code failed;
  fs::create_directories(folder, failed);
  if (failed)
    throw Error(Error::Code::unwritable, "cannot make the folder: " + failed.message(), folder.string(),
                "name another with --folder");
  if (options.long_session) return demo_long(folder);
  print("Playing Tidepool Rally on Bramble, a simulated machine, on a virtual clock …\n\n");
  if (!fs::exists(face)) replace_file(face, kDemoFace, FileKind::toml);  // the user may have begun to change it
  Store store(file);
  const std::int64_t ultra = record(store, folder, {.preset = "Ultra"}, kSoon, face, picture);
  const std::int64_t high = record(store, folder, {.preset = "High"}, kSoon);
  (void)record(store, folder, {.preset = "Low", .upscaler = true}, kWarm);
  print("{}\n", runs_side_by_side({insight_of(store, ultra), insight_of(store, high)}, ReadingChoice::main).text);
  if (!options.brief) compare_upscaler(store, folder);
  print_files(folder, ultra, options.brief);
  return 0;
}

}  // namespace

void add_demo(Command app) {
  const auto options = std::make_shared<DemoArgs>();
  Command command = app.add("demo", "Run the whole job on a simulated machine and game, in a few seconds",
                            [options] { return demo(*options); });
  command.flag("--brief", options->brief, "Record only three runs, without comparing groups");
  command.flag("--long", options->long_session,
               "Record twenty minutes in which the frame rate drops, and find what changed");
  command.option("--folder", options->folder, "The folder for the results; runs are added to its store")
      .shows_default();
}

}  // namespace idlemeter::cli
