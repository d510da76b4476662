// idlemeter changes: what changed during a run, and what changed together with it.
#include "idlemeter/insight/changes.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <memory>
#include <optional>

#include "commands.hpp"
#include "idlemeter/base/duration.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/insight/change_subject.hpp"
#include "idlemeter/insight/change_words.hpp"
#include "idlemeter/insight/words.hpp"
#include "idlemeter/json/changes.hpp"
#include "idlemeter/plot/change_plot.hpp"
#include "idlemeter/plot/write_plot.hpp"
#include "idlemeter/runs/reading_table.hpp"
#include "idlemeter/runs/store.hpp"
#include "output.hpp"
#include "runs/group_options.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

struct ChangesArgs {
  std::string what, store = usual_store(), at, picture;
  ReadingTableFormat table;
  bool json = false, all = false, dark = false;
};

/// A run's; anything else is a file.
std::optional<std::int64_t> number_of_run(const std::string& text) {
  std::int64_t number = 0;
  const auto read = std::from_chars(text.data(), text.data() + text.size(), number);
  return read.ec == std::errc() && read.ptr == text.data() + text.size() ? std::optional(number) : std::nullopt;
}

ChangeSubject read(const ChangesArgs& options) {
  if (const auto number = number_of_run(options.what))
    return change_subject(Store(options.store, Store::Mode::existing), *number);
  ReadingTable table = load_reading_table(options.what, options.table);
  for (const std::string& note : table.notes) complain("idlemeter: {}: {}\n", options.what, note);
  if (table.broken > 0)
    complain("idlemeter: warning: {} of {} lines of {} have no time that can be read, or one before the last\n",
             table.broken, table.lines, options.what);
  return change_subject(std::move(table), options.what);
}

void print_changes(const Changes& changes, const ChangesArgs& options, const ChangeSubject& subject) {
  const std::string where = options.at.empty() ? "" : fmt::format(" within a minute of {}", options.at);
  const auto shown = foremost_events(changes, options.all);
  if (shown.empty())
    print("Nothing much changed{}: no reading left its level, slope or spread in {} by much.\n", where,
          second_words(Moment{subject.length}));
  print("{}", printable(changes_text(changes, {.all = options.all}), "\n"));
  if (!options.all && changes.events.size() > std::min<std::size_t>(shown.size(), ChangeTextOptions{}.events))
    print("--all shows every change and every reading.\n");
  if (!subject.meanwhile.empty()) print("{}\n", printable(meanwhile_words(subject.meanwhile)));
}

int changes(const ChangesArgs& options) {
  const ChangeSubject subject = read(options);
  Changes found = find_changes(subject);
  if (!options.at.empty()) found = changes_near(std::move(found), Moment{*duration_from(options.at, "s")});
  if (!options.picture.empty()) {
    Plot plot = change_plot(found, subject);
    plot.dark = options.dark;
    write_plot(plot, options.picture);
    print("{}\n", options.picture);
  } else if (options.json) {
    write_raw(changes_json(found, subject.meanwhile) + "\n");
  } else {
    print_changes(found, options, subject);
  }
  return 0;
}

/// How a table of readings is read.
void add_table_options(Command command, const std::shared_ptr<ChangesArgs>& options) {
  command.option("--time", options->table.time.name, "For a table: the column with the times, if it isn't obvious");
  command
      .option(
          "--every",
          [options](const std::string& text) {
            const auto time = duration_from(text, "s");
            if (!time || *time <= Nanoseconds{}) return fmt::format("'{}' isn't a time; write it like 1s", text);
            options->table.every = *time;
            return std::string();
          },
          "For a table without times: the time between two lines, like 1s")
      .excludes(command.option("--time"));
}

}  // namespace

void add_changes(Command app) {
  const auto options = std::make_shared<ChangesArgs>();
  Command command = app.add(
      "changes",
      "Find what changed during a run or a log: the frame rate, frame times and readings, and what changed with them",
      [options] { return changes(*options); });
  command.option("RUN", options->what, "The number of a run or a log, or a table of readings, like a CSV file")
      .required();
  add_table_options(command, options);
  command.option("--at", options->at, "Only changes within a minute of this time of the run, like 20:00")
      .check([](const std::string& text) {
        return duration_from(text, "s") ? "" : fmt::format("'{}' isn't a time; write it like 20:00 or 90 s", text);
      });
  command.flag("--all", options->all, "Show all changes, with all readings");
  Option json = command.flag("--json", options->json, "As JSON");
  Option picture =
      command.option("-o,--output", options->picture, "Plot the readings that changed into this .png or .svg file")
          .check(is_picture_name())
          .excludes(json);
  command.flag("--dark", options->dark, "Draw on a dark background").needs(picture);
  lack_groups(command);
  command.option("--store", options->store, "The store with the runs").shows_default();
}

}  // namespace idlemeter::cli
