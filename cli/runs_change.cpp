// idlemeter runs change, remove, restore, compact, add, check: what becomes of runs after they were recorded.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <memory>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/file.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/run_file.hpp"
#include "idlemeter/runs/store.hpp"
#include "output.hpp"
#include "plan_options.hpp"
#include "run_lists.hpp"
#include "runs_commands.hpp"

namespace idlemeter::cli {
namespace {

namespace fs = std::filesystem;

constexpr std::size_t kLargestRunFile = std::size_t{1} << 31;

struct ChangeOptions {
  std::string store = Store::usual_path().string();
  std::vector<std::string> runs;
  std::string game, note, repaired;
  bool no_note = false;
  RunNotes notes;
  std::vector<std::string> tags_to_drop, settings_to_drop, stores;
};

/// "1 run", "12 runs"
std::string count_of(std::size_t runs) { return fmt::format("{} run{}", runs, runs == 1 ? "" : "s"); }

Store store_of(const ChangeOptions& options) { return Store(options.store, Store::Mode::existing); }

int change(const ChangeOptions& options) {
  RunChange how;
  if (!options.game.empty()) how.game = options.game;
  if (!options.note.empty() || options.no_note) how.note = options.note;
  how.tags = options.notes.tags;
  how.tags_to_drop = options.tags_to_drop;
  how.settings = options.notes.settings;
  how.settings_to_drop = options.settings_to_drop;
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

/// A store's runs, or those of a file that 'runs export --json' wrote.
Store::Added add_file(Store& store, const std::string& file, const std::vector<std::int64_t>& ids) {
  std::ifstream stream(file, std::ios::binary);
  std::string bytes(64, '\0');
  stream.read(bytes.data(), static_cast<std::streamsize>(bytes.size()));
  if (!is_run_file(bytes)) return store.add(Store(file, Store::Mode::existing), ids);
  if (!ids.empty())
    throw Error(Error::Code::invalid, "--runs names runs of a store, and this is a file of runs without numbers", file,
                "leave --runs away");
  const FileBytes whole = read_regular_file(file, kLargestRunFile);
  if (!whole.problem.empty()) throw Error(Error::Code::unreadable, whole.problem, file);
  return add_run_file(store, whole.bytes, file);
}

int add(const ChangeOptions& options) {
  Store store(options.store);
  const auto ids = run_lists(options.runs);
  if (!ids.empty() && options.stores.size() > 1) return misuse("runs add", "--runs names runs of one store; give one");
  for (const std::string& file : options.stores) {
    std::error_code unknown;
    if (fs::equivalent(file, options.store, unknown))
      throw Error(Error::Code::invalid, "this is the store that runs are added to", file, "name another");
    const Store::Added added = add_file(store, file, ids);
    std::string line = fmt::format("{}: {} added", file, count_of(added.runs.size()));
    if (!added.runs.empty())
      line += added.runs.size() == 1 ? fmt::format(" as {}", added.runs.front())
                                     : fmt::format(" as {} to {}", added.runs.front(), added.runs.back());
    if (added.already > 0) line += fmt::format(", {} already here", added.already);
    print("{}\n", line);
  }
  return 0;
}

int check(const ChangeOptions& options) {
  const Store store = store_of(options);
  const auto problems = store.check();
  for (const std::string& problem : problems) print("{}\n", problem);
  if (options.repaired.empty()) {
    print("{}\n", problems.empty() ? "all is well" : "the rest can be copied into a new store with --repair FILE");
    return problems.empty() ? 0 : 1;
  }
  if (fs::exists(options.repaired))
    throw Error(Error::Code::unwritable, "is there already", options.repaired, "name a new file with --repair");
  Store repaired(options.repaired);
  std::size_t copied = 0, lost = 0;
  for (const RunInfo& run : store.runs(Store::Facts::none)) {
    try {
      const std::int64_t id = run.id;
      copied += repaired.add(store, {&id, 1}).runs.size();
    } catch (const Error& error) {
      complain("idlemeter: run {} isn't copied: {}\n", run.id, error.what());
      ++lost;
    }
  }
  print("{} copied into {}{}\n", count_of(copied), options.repaired,
        lost == 0 ? "" : fmt::format(", {} couldn't be", count_of(lost)));
  return lost == 0 ? 0 : 1;
}

}  // namespace

void add_run_changes(Command runs) {
  const auto options = std::make_shared<ChangeOptions>();
  const auto command = [&](const char* name, const char* about, int (*run)(const ChangeOptions&), bool takes_runs) {
    Command added = runs.add(name, about, [options, run] { return run(*options); });
    if (takes_runs)
      added.option("RUNS", options->runs, "Lists of runs, like 3 or 1-5,8").required().check(is_run_list());
    added.option("--store", options->store, "The file that holds runs").shows_default();
    return added;
  };
  Command changes = command("change", "Change the game's name, the note, tags and settings of runs", &change, true);
  changes.option("--game", options->game, "The game's name");
  Option note = changes.option("--note", options->note, "A note instead of the one that is there");
  changes.flag("--no-note", options->no_note, "No note").excludes(note);
  add_setting_options(changes, options->notes);
  changes.option("--drop-tag", options->tags_to_drop, "A tag to take away; may be repeated").repeats();
  changes.option("--unset", options->settings_to_drop, "The name of a setting to take away; may be repeated").repeats();
  command("remove", "Remove runs; they can be restored until the store is compacted", &remove, true);
  command("restore", "Bring removed runs back", &restore, true);
  command("compact", "Give the space of removed runs back to the disk; they are gone then", &compact, false);
  Command adds =
      runs.add("add", "Copy runs from other stores and run files into this one, but for those that are here already",
               [options] { return add(*options); });
  adds.option("FILE", options->stores, "Stores to copy from, and files that 'runs export --json' wrote").required();
  adds.option("--runs", options->runs, "Only these runs of a store, like 1-5,8").check(is_run_list());
  adds.option("--store", options->store, "The file that they go to, made if it isn't there").shows_default();
  Command checks =
      command("check", "Check the store and all its runs; exit status 1 if something is wrong", &check, false);
  checks.option("--repair", options->repaired, "A new store to copy to what can still be read");
}

}  // namespace idlemeter::cli
