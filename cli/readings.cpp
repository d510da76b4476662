// idlemeter readings: what this machine can measure, and what it is now.
#include "idlemeter/json/readings.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>
#include <unistd.h>

#include <algorithm>
#include <memory>

#include "commands.hpp"
#include "idlemeter/base/duration.hpp"
#include "idlemeter/base/table.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/ranges.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/reading_filter.hpp"
#include "idlemeter/readings/readings_csv.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "output.hpp"
#include "terminal.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

struct ReadingsArgs {
  ValueOptions values;
  std::vector<std::string> words;
  std::string every;
  double seconds = 0;  // of `every`; 0: once
  int count = 0;       // how often; 0: until Ctrl-C
  bool json = false, csv = false;
};

/// A source below a tree as it would be called on a machine: "/tmp/x/proc/stat" -> "/proc/stat".
std::string below(const std::string& root, const std::string& source) {
  return root != "/" && source.starts_with(root) ? source.substr(root.size()) : source;
}

std::string table_text(const std::vector<Snapshot::Entry>& entries, const Ranges& ranges, bool with_ranges,
                       const std::string& root) {
  using enum Table::Align;
  Table table(with_ranges ? std::vector{left, right, right, left, left} : std::vector{left, right, left, left});
  table.add(with_ranges ? std::vector<std::string>{"reading", "now", "range seen", "what it is", "from"}
                        : std::vector<std::string>{"reading", "now", "what it is", "from"});
  std::string device;
  for (const auto& [info, value, provisional] : entries) {
    if (info->device != device) table.add_line("\n" + printable(info->device));
    device = info->device;
    const auto* missing = std::get_if<Missing>(value);
    std::vector<std::string> row = {"  " + info->id + (info->alias.empty() ? "" : ", " + info->alias),
                                    format_value(*info, *value)};
    if (with_ranges) row.push_back(ranges.text(*info));
    row.push_back(info->title + (provisional ? ", of too few frames yet" : ""));
    row.push_back(missing == nullptr ? below(root, info->source) : "missing: " + missing->reason);
    table.add(std::move(row));
  }
  return table.text();
}

void print_lines(const std::string& text, std::size_t width, std::size_t most_lines) {
  std::size_t shown = 0;
  for (std::size_t start = 0; start < text.size();) {
    const std::size_t end = text.find('\n', start);
    if (most_lines > 0 && ++shown == most_lines) {
      print("… more than fits: name a word to filter by\n");
      return;
    }
    print("{}\n", cut_to_columns(text.substr(start, end - start), width));
    start = end + 1;
  }
}

class Printer {
 public:
  Printer(const ReadingsArgs& options, std::string root)
      : options_(options),
        root_(std::move(root)),
        in_place_(options.seconds > 0 && !options.json && !options.csv && ::isatty(1) != 0) {}

  void show(const std::vector<Snapshot::Entry>& entries, double time) {
    ranges_.add(entries);
    if (options_.json) {
      print_json(entries, time);
    } else if (options_.csv) {
      if (first_) write_raw(readings_csv_heading());
      write_raw(readings_csv_lines(entries, ranges_, time));
    } else if (options_.seconds > 0 && !in_place_) {
      for (const auto& [info, value, provisional] : entries)
        print("{:.1f} s  {}  {}\n", time, printable(info->id), printable(format_value(*info, *value)));
    } else {
      if (in_place_) write_raw(kClearScreen);
      print_lines(table_text(entries, ranges_, options_.seconds > 0, root_), terminal_width(),
                  in_place_ ? terminal_height() : 0);
    }
    first_ = false;
    flush_output();
  }

 private:
  /// One array; with --every, an object a line.
  void print_json(const std::vector<Snapshot::Entry>& entries, double time) const {
    const std::string json =
        options_.seconds == 0 ? readings_json(entries, ranges_) : timed_readings_json(entries, ranges_, time);
    write_raw(json + "\n");
  }

  const ReadingsArgs& options_;
  std::string root_;
  bool in_place_;
  bool first_ = true;
  Ranges ranges_;
};

int readings(const ReadingsArgs& options) {
  Values values(options.values);
  Snapshot snapshot = values.next(0);
  for (const SourceProblem& problem : snapshot.problems())
    complain("idlemeter: warning: nothing is listed of the {} source: {}\n", problem.source, problem.reason);
  const std::string query = fmt::format("{}", fmt::join(options.words, " "));
  auto entries = entries_with(snapshot, query);
  if (entries.empty() && !query.empty()) {
    const auto near = nearest_ids(query, snapshot);
    complain("idlemeter: no reading has '{}' in its id, title, device or kind{}; 'idlemeter readings' lists all {}\n",
             query, near.empty() ? "" : fmt::format("; nearest: {}", fmt::join(near, ", ")), snapshot.entries().size());
    return 1;
  }
  if (options.seconds > 0) catch_ctrl_c();
  Printer printer(options, values.root());
  const Moment start = snapshot.time();
  printer.show(entries, 0);
  for (int done = 1; options.seconds > 0 && !stopped() && (options.count == 0 || done < options.count); ++done) {
    snapshot = values.next(options.seconds);
    if (!stopped()) printer.show(entries_with(snapshot, query), in_seconds(snapshot.time() - start));
  }
  return 0;
}

}  // namespace

void add_readings(Command app) {
  const auto options = std::make_shared<ReadingsArgs>();
  Command command =
      app.add("readings", "List what this machine can measure, with values, units and where they come from",
              [options] { return readings(*options); });
  command.option(
      "WORDS", options->words,
      "Only readings with all these words in the id, title, device or kind; vram, hot, usage … are known too");
  add_value_options(command, options->values);
  command.option("--every", options->every, "Repeat at this pace, like 1s, until Ctrl-C; shows the range seen")
      .check([options](const std::string& text) {
        Nanoseconds every{};
        std::string wrong = read_every(text, every);
        options->seconds = in_seconds(every);
        return wrong;
      });
  command.option("--count", options->count, "With --every: stop after so many times").check(positive());
  const Option json = command.flag("--json", options->json, "As JSON; with --every an object a line");
  command.flag("--csv", options->csv, "As CSV").excludes(json);
}

}  // namespace idlemeter::cli
