// idlemeter runs export, import: runs as files for other programs, and the other way round.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <memory>

#include "idlemeter/base/file.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/insight/figure_set.hpp"
#include "idlemeter/insight/results_file.hpp"
#include "idlemeter/insight/run_text.hpp"
#include "idlemeter/insight/words.hpp"
#include "idlemeter/runs/frame_log.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/run_csv.hpp"
#include "idlemeter/runs/run_file.hpp"
#include "idlemeter/runs/run_list.hpp"
#include "idlemeter/runs/store.hpp"
#include "idlemeter/settings/settings.hpp"
#include "output.hpp"
#include "play/plan_options.hpp"
#include "runs/runs_commands.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

struct RunsExportArgs {
  std::string store = usual_store(), file, figures, settings;
  std::vector<std::string> runs;
  bool readings = false, results = false, json = false, arguments = false;

  /// Nothing says what is exported.
  [[nodiscard]] bool is_any() const { return !readings && !results && figures.empty(); }
};

std::string results_of(const Store& store, const std::vector<std::int64_t>& ids, const RunsExportArgs& options) {
  if (options.figures.empty()) return results_csv(insights_of(store, ids, {.hitches = 0}));
  const FigureSet set = FigureSet::named(options.figures, usual_settings(options.settings).figures);
  return results_csv(insights_of(store, ids, {.figures = set.request(), .hitches = 0}), &set);
}

int export_runs(const RunsExportArgs& options) {
  const Store store(options.store, Store::Mode::existing);
  const auto ids = run_lists(options.runs);
  const bool is_whole =
      options.json || (options.is_any() && std::filesystem::path(options.file).extension() == ".json");
  const std::string text = is_whole           ? run_file(store, ids, {.arguments = options.arguments})
                           : options.readings ? readings_csv(store, ids)
                           : options.results || !options.figures.empty() ? results_of(store, ids, options)
                                                                         : frames_csv(store, ids);
  if (options.file.empty()) {
    write_raw(text);
  } else {
    replace_file(options.file, text, is_whole ? FileKind::run_file : FileKind::other);
    print("{}\n", options.file);
  }
  return 0;
}

struct ImportOptions {
  std::string store = usual_store(), file, game, note, delimiter;
  RunNotes notes;
  FrameLogFormat format;
  bool decimal_comma = false, decimal_point = false, dry_run = false;
};

FrameLogFormat log_format(const ImportOptions& options) {
  FrameLogFormat format = options.format;
  if (!options.delimiter.empty()) format.delimiter = options.delimiter == "tab" ? '\t' : options.delimiter.front();
  if (options.decimal_comma || options.decimal_point) format.decimal_comma = options.decimal_comma;
  return format;
}

int import_log(const ImportOptions& options) {
  const bool is_input = options.file == "-";
  const FrameLogFormat format = log_format(options);
  const std::string name = is_input ? "standard input" : options.file;
  const FrameLog log = is_input ? load_frame_log(0, name, format) : load_frame_log(options.file, format);
  print("{}", frame_log_words(log, name));
  if (options.dry_run) {
    for (const LoggedFrames& run : log.runs) print("{}; nothing was added\n", frame_count_words(run));
    return 0;
  }
  RunDetails details{options.game, options.note, options.notes.tags, {{"Imported from", name}}, options.notes.settings};
  Store::Added added;
  fill_store(options.store, [&](Store& store) { added = add_frame_log(store, log, details); });
  for (std::size_t i = 0; i < log.runs.size(); ++i)
    print("{}, added as run {}\n", frame_count_words(log.runs[i]), added.runs.at(i));
  return 0;
}

Check read_unit(std::optional<LogUnit>& into, bool takes_rates) {
  return [&into, takes_rates](const std::string& text) {
    into = log_unit_from(text);
    const bool fits = into && (takes_rates || into != LogUnit::frames_per_second);
    return fits ? std::string()
                : fmt::format("'{}' isn't a unit; there are ns, us, ms, s{}", text, takes_rates ? " and fps" : "");
  };
}

}  // namespace

void add_run_export(Command runs) {
  const auto options = std::make_shared<RunsExportArgs>();
  Command command = runs.add("export",
                             "Runs as CSV with units in the heading: frames, readings or results; or whole, as a file "
                             "for 'runs add'",
                             [options] { return export_runs(*options); });
  command.option("RUNS", options->runs, "Runs, like 3 or 1-5,8").required().check(is_run_list());
  Option readings = command.flag("--readings", options->readings, "The readings instead of the frames");
  Option results = command.flag("--results", options->results, "A line of results for each run").excludes(readings);
  Option figures =
      command.option("--figures", options->figures, "Results with these: a set saved under [figures], or ids")
          .excludes(readings);
  command.flag("--json", options->json, "The complete runs as JSON, which others can add to their stores")
      .excludes(readings)
      .excludes(results)
      .excludes(figures);
  command.flag("--arguments", options->arguments,
               "With --json: include the games' command lines, which may contain a launcher's tokens");
  command.option("-o,--output", options->file, "The file to write; by default the standard output");
  command.option("--store", options->store, "The store with the runs").shows_default();
  command.option("--settings", options->settings,
                 "The settings file with the sets of figures, instead of " + usual_settings_path().string());
}

namespace {

void add_column_options(Command command, const std::shared_ptr<ImportOptions>& options) {
  FrameLogFormat& format = options->format;
  command.option("--frame-time", format.frame_time.name, "The column with frame times: its heading, or its number");
  command.option("--unit", read_unit(format.frame_time.unit, true), "Their unit: ns, us, ms, s, or fps for rates");
  command.option("--time", format.time.name, "The column with the moments at which frames were presented");
  command.option("--time-unit", read_unit(format.time.unit, false), "Their unit: ns, us, ms or s");
  command.option("--gpu-work", format.gpu_work.name, "The column with the GPU's time for each frame");
  command.option("--gpu-work-unit", read_unit(format.gpu_work.unit, false), "Its unit: ns, us, ms or s");
  command.option("--split", format.split.name,
                 "The column that distinguishes runs or programs: each value becomes a run of its own");
  command.option("--delimiter", options->delimiter, "What separates fields: one character, or tab")
      .check([](const std::string& text) {
        return text == "tab" || text.size() == 1 ? "" : fmt::format("'{}' isn't one character, or tab", text);
      });
  Option comma = command.flag("--decimal-comma", options->decimal_comma, "Numbers are written like 16,7");
  command.flag("--decimal-point", options->decimal_point, "Numbers are written like 16.7").excludes(comma);
}

}  // namespace

void add_run_import(Command runs) {
  const auto options = std::make_shared<ImportOptions>();
  Command command = runs.add("import",
                             "Add the frames that another program logged, from a table of any form: what isn't said "
                             "is guessed where it is clear",
                             [options] { return import_log(*options); });
  command
      .option("FILE", options->file,
              "A table with a line for each frame, also packed (gzip, zstd, xz); - reads "
              "the standard input")
      .required();
  add_column_options(command, options);
  command.option("--game", options->game, "The game's name");
  command.option("--note", options->note, "A note");
  add_setting_options(command, options->notes);
  command.flag("--dry-run", options->dry_run, "Only show what would be added");
  command.option("--store", options->store, "The store to add them to, created if it doesn't exist").shows_default();
}

}  // namespace idlemeter::cli
