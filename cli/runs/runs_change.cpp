// idlemeter runs change, remove, restore, compact, add, check: what becomes of runs after they were recorded.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <memory>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/file.hpp"
#include "idlemeter/base/scratch_folder.hpp"
#include "idlemeter/insight/words.hpp"
#include "idlemeter/runs/repair.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/run_file.hpp"
#include "idlemeter/runs/run_list.hpp"
#include "idlemeter/runs/store.hpp"
#include "output.hpp"
#include "play/plan_options.hpp"
#include "runs/runs_commands.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

namespace fs = std::filesystem;

struct ChangeOptions {
  std::string store = usual_store();
  std::vector<std::string> runs;
  std::string game, note, repaired, copied;
  bool no_note = false, arguments = false;
  RunNotes notes;
  std::vector<std::string> tags_to_drop, settings_to_drop, stores;
};

/// "1 run", "12 runs"
std::string count_of(std::size_t runs) { return fmt::format("{} run{}", runs, runs == 1 ? "" : "s"); }

Store store_of(const ChangeOptions& options) { return Store(options.store, Store::Mode::existing); }

RunChange run_change(const ChangeOptions& options) {
  RunChange how;
  if (!options.game.empty()) how.game = options.game;
  if (!options.note.empty() || options.no_note) how.note = options.note;
  how.tags = options.notes.tags;
  how.tags_to_drop = options.tags_to_drop;
  how.settings = options.notes.settings;
  how.settings_to_drop = options.settings_to_drop;
  return how;
}

int change(const ChangeOptions& options) {
  const RunChange how = run_change(options);
  const bool is_nothing = !how.game && !how.note && how.tags.empty() && how.tags_to_drop.empty() &&
                          how.settings.empty() && how.settings_to_drop.empty();
  if (is_nothing)
    return misuse("runs change", "nothing to change; give --game, --note, --tag, --set or one of the others");
  const auto ids = run_lists(options.runs);
  store_of(options).change(ids, how);
  print("{} changed\n", count_of(ids.size()));
  return 0;
}

int remove(const ChangeOptions& options) {
  const auto ids = run_lists(options.runs);
  store_of(options).remove(ids);
  const std::string again = fmt::format("{}", fmt::join(options.runs, " "));
  print("{} removed; 'idlemeter runs restore {}' brings them back until 'idlemeter runs compact'\n",
        count_of(ids.size()), again);
  return 0;
}

int restore(const ChangeOptions& options) {
  const auto ids = run_lists(options.runs);
  store_of(options).restore(ids);
  print("{} restored\n", count_of(ids.size()));
  return 0;
}

int compact(const ChangeOptions& options) {
  const auto size = [&] { return static_cast<double>(fs::file_size(options.store)) / (1024 * 1024); };
  Store store = store_of(options);
  const double before = size();
  const std::size_t gone = store.compact();
  print("{} gone for good; the store takes {:.1f} MiB, it was {:.1f}\n", count_of(gone), size(), before);
  return 0;
}

int add(const ChangeOptions& options) {
  const auto ids = run_lists(options.runs);
  if (!ids.empty() && options.stores.size() > 1) return misuse("runs add", "--runs names runs of one store; give one");
  for (const std::string& file : options.stores) {
    fill_store(options.store, [&](Store& store) { print("{}: {}\n", file, added_words(add_runs(store, file, ids))); });
    flush_output();
  }
  return 0;
}

void write_bytes_of(const fs::path& file) {
  std::ifstream in(file, std::ios::binary);
  std::string part(std::size_t{1} << 20, '\0');
  while (in.read(part.data(), static_cast<std::streamsize>(part.size())) || in.gcount() > 0)
    write_raw(std::string_view(part).substr(0, static_cast<std::size_t>(in.gcount())));
}

int copy_runs(const ChangeOptions& options) {
  const auto copy_to = [&](const fs::path& file) {
    return copy_runs(store_of(options), file, run_lists(options.runs), {.arguments = options.arguments});
  };
  if (options.copied == "-") {
    const ScratchFolder folder;
    const fs::path file = folder.path() / "runs.db";
    (void)copy_to(file);
    write_bytes_of(file);
    return 0;
  }
  print("{}: {}\n", options.copied, added_words(copy_to(options.copied)));
  return 0;
}

int check(const ChangeOptions& options) {
  if (!options.repaired.empty() && fs::exists(options.repaired))
    throw Error(Error::Code::exists, "already exists", options.repaired, "name a new file with --repair");
  const auto problems = problems_of_store(options.store);
  for (const std::string& problem : problems) print("{}\n", problem);
  if (options.repaired.empty()) {
    print("{}\n", problems.empty() ? "all is well" : "--repair NEW copies what can still be read into a new store");
    return problems.empty() ? 0 : 1;
  }
  const RepairedStore repaired = repair_store(options.store, options.repaired);
  for (const std::string& lost : repaired.lost) print("lost: {}\n", lost);
  print("{} copied into {}{}\n", count_of(repaired.runs), options.repaired,
        repaired.lost.empty() ? ", nothing is lost" : "");
  return repaired.lost.empty() ? 0 : 1;
}

using SharedChange = std::shared_ptr<ChangeOptions>;

Command add_command(Command& runs, const SharedChange& options, const char* name, const char* about,
                    int (*run)(const ChangeOptions&)) {
  Command added = runs.add(name, about, options, run);
  added.option("--store", options->store, "The store with the runs").shows_default();
  return added;
}

/// The same for a command that changes some of the runs.
Command add_run_command(Command& runs, const SharedChange& options, const char* name, const char* about,
                        int (*run)(const ChangeOptions&)) {
  Command added = add_command(runs, options, name, about, run);
  added.option("RUNS", options->runs, "Runs, like 3 or 1-5,8").required().check(is_run_list());
  return added;
}

void add_change(Command& runs, const SharedChange& options) {
  Command changes =
      add_run_command(runs, options, "change", "Change the game's name, the note, tags and settings of runs", &change);
  changes.option("--game", options->game, "The game's name");
  Option note = changes.option("--note", options->note, "A note that replaces the existing one");
  changes.flag("--no-note", options->no_note, "Remove the note").excludes(note);
  add_setting_options(changes, options->notes);
  changes.option("--drop-tag", options->tags_to_drop, "A tag to remove; may be repeated").repeats();
  changes.option("--unset", options->settings_to_drop, "The name of a setting to remove; may be repeated").repeats();
}

void add_add(Command& runs, const SharedChange& options) {
  Command adds = runs.add("add", "Copy runs from other stores and run files into this one, except those it already has",
                          options, add);
  adds.option("FILE", options->stores, "Stores to copy from, and files that 'runs export --json' wrote").required();
  adds.option("--runs", options->runs, "Only these runs of a store, like 1-5,8").check(is_run_list());
  adds.option("--store", options->store, "The store to add them to, created if it doesn't exist").shows_default();
}

void add_copy(Command& runs, const SharedChange& options) {
  Command copies =
      runs.add("copy", "Copy the store, or some of its runs, into a new file; safe while a recording is in progress",
               options, copy_runs);
  copies.option("FILE", options->copied, "The new store; - writes it to the standard output").required();
  copies.option("--runs", options->runs, "Only these runs, like 1-5,8").check(is_run_list());
  copies.flag("--arguments", options->arguments,
              "Include the games' command lines, which may contain a launcher's tokens");
  copies.option("--store", options->store, "The store with the runs").shows_default();
}

}  // namespace

void add_run_changes(Command& runs) {
  const auto options = std::make_shared<ChangeOptions>();
  add_change(runs, options);
  add_run_command(runs, options, "remove", "Remove runs; they can be restored until the store is compacted", &remove);
  add_run_command(runs, options, "restore", "Bring removed runs back", &restore);
  add_command(runs, options, "compact", "Free the space of removed runs, which can't be restored afterwards", &compact);
  add_add(runs, options);
  add_copy(runs, options);
  add_command(runs, options, "check", "Check the store and all its runs; exit status 1 if something is wrong", &check)
      .option("--repair", options->repaired, "Copy what can still be read into this new store");
}

}  // namespace idlemeter::cli
