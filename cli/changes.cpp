// idlemeter changes: what changed during a run, and what changed together with it.
#include "idlemeter/insight/changes.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <cmath>
#include <memory>
#include <nlohmann/json.hpp>
#include <optional>

#include "commands.hpp"
#include "gnuplot.hpp"
#include "idlemeter/base/duration.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/insight/change_words.hpp"
#include "idlemeter/insight/runs_during.hpp"
#include "idlemeter/insight/words.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/runs/reading_table.hpp"
#include "idlemeter/runs/store.hpp"
#include "output.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

using Json = nlohmann::ordered_json;

constexpr std::size_t kEvents = 5, kPanels = 5;

struct Options {
  std::string what, store = usual_store(), at, picture;
  ReadingTableFormat table;
  bool json = false, all = false, dark = false;
};

/// What is looked at: a run of the store, or a table.
struct Subject {
  std::string name;  ///< "run 1", "hours.csv"
  Nanoseconds length{};
  std::vector<SecondSeries> seconds = {};
  std::vector<RunSeries> texts = {};
  std::vector<RunMeanwhile> meanwhile = {};
};

/// A run's; anything else is a file.
std::optional<std::int64_t> number_of_run(const std::string& text) {
  std::int64_t number = 0;
  const auto read = std::from_chars(text.data(), text.data() + text.size(), number);
  return read.ec == std::errc() && read.ptr == text.data() + text.size() ? std::optional(number) : std::nullopt;
}

Subject read(const Options& options) {
  const auto number = number_of_run(options.what);
  if (!number) {
    ReadingTable table = read_reading_table(options.what, options.table);
    for (const std::string& note : table.notes) complain("idlemeter: {}: {}\n", options.what, note);
    if (table.broken > 0)
      complain("idlemeter: warning: {} of {} lines of {} have no time that can be read, or one before the last\n",
               table.broken, table.lines, options.what);
    std::vector<SecondSeries> seconds = seconds_of({}, table.series);
    std::erase_if(table.series, [](const RunSeries& one) { return !one.info.text; });
    return {options.what, table.length, std::move(seconds), std::move(table.series)};
  }
  const Store store(options.store, Store::Mode::existing);
  const RunInfo run = store.run(*number);
  Subject subject{fmt::format("run {}", run.id), run.length, seconds_of(store, run.id),
                  store.series(run.id, &ReadingInfo::text)};
  if (run.frames == 0) subject.meanwhile = runs_during(store.runs(Store::Facts::none), run);
  return subject;
}

double seconds_of(Moment at) { return in_seconds(at.time_since_epoch()); }

Json to_json(const ReadingInfo& info) {
  return {{"id", info.id}, {"title", info.title}, {"device", info.device}, {"unit", symbol(info.unit)}};
}

Json to_json(const Changes& changes) {
  Json json = {{"changes", Json::array()}, {"oddities", Json::array()}};
  for (const ChangeEvent& event : changes.events) {
    Json one = {{"at_s", seconds_of(event.at)},
                {"readings", Json::array()},
                {"texts", Json::array()},
                {"as_before", Json::array()}};
    for (const ReadingChange& change : event.readings) {
      Json reading = to_json(change.info);
      reading.update({{"kind", name_of(change.kind)},
                      {"at_s", seconds_of(change.at)},
                      {"before", change.before},
                      {"after", change.after},
                      {"spreads", change.spreads},
                      {"of_range", change.of_range}});
      if (change.until > change.at) reading["until_s"] = seconds_of(change.until);
      one["readings"].push_back(std::move(reading));
    }
    for (const TextChange& change : event.texts)
      one["texts"].push_back({{"id", change.info.id},
                              {"at_s", seconds_of(change.at)},
                              {"before", change.before},
                              {"after", change.after}});
    for (const ReadingInfo& info : event.as_before) one["as_before"].push_back(info.id);
    json["changes"].push_back(std::move(one));
  }
  for (const OddStretch& odd : changes.oddities) {
    Json one = to_json(odd.info);
    one.update({{"kind", name_of(odd.kind)},
                {"at_s", seconds_of(odd.at)},
                {"length_s", in_seconds(odd.length)},
                {"value", odd.value},
                {"usual", odd.usual},
                {"spreads", odd.spreads}});
    json["oddities"].push_back(std::move(one));
  }
  return json;
}

/// What is within a minute of the moment that was asked for.
void keep_near(Changes& changes, const std::string& at) {
  const Moment wanted{*duration_from(at, "s")};
  const auto is_far = [&](Moment moment) { return std::chrono::abs(moment - wanted) > 60 * kSecond; };
  std::erase_if(changes.events, [&](const ChangeEvent& event) { return is_far(event.at); });
  std::erase_if(changes.oddities, [&](const OddStretch& odd) { return is_far(odd.at); });
}

void print_changes(const Changes& changes, const Options& options, const Subject& subject) {
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

/// Minutes and seconds, as the words have them: about ten ticks.
std::vector<Tick> time_ticks(double seconds) {
  constexpr double kSteps[] = {1,   2,   5,     10,    15,    30,     60,     120,   300,
                               600, 900, 1'800, 3'600, 7'200, 14'400, 43'200, 86'400};
  constexpr double kMost = 12;
  double step = kSteps[std::size(kSteps) - 1];
  for (const double one : kSteps) {
    if (seconds / one > kMost) continue;
    step = one;
    break;
  }
  std::vector<Tick> ticks;
  for (double at = 0; at <= seconds; at += step) ticks.push_back({at, second_words(Moment{from_seconds(at)})});
  return ticks;
}

/// The readings that changed the most, over time, with the moments marked.
void write_picture(const Changes& changes, const Subject& subject, const Options& options) {
  Plot plot{.title = subject.name + ": what changed",
            .x_title = "minutes and seconds since the start",
            .panels = {},
            .x_ticks = time_ticks(in_seconds(subject.length)),
            .x_from = 0,
            .x_to = std::max(1.0, in_seconds(subject.length)),
            .dark = options.dark};
  // The rate, then what changed the most at each moment, one reading each.
  std::vector<ReadingChange> all;
  std::vector<ChangeEvent> events = foremost_events(changes);
  if (events.empty()) events = foremost_events(changes, true);
  events.resize(std::min(events.size(), kEvents));
  for (const ChangeEvent& event : events) {
    plot.marks.push_back({seconds_of(event.readings.front().at), second_words(event.readings.front().at)});
    const auto reading = std::find_if(event.readings.begin(), event.readings.end(), [&](const ReadingChange& one) {
      return one.info.kind != DeviceKind::frames &&
             std::none_of(all.begin(), all.end(),
                          [&](const ReadingChange& other) { return other.info.id == one.info.id; });
    });
    if (event.readings.front().info.kind == DeviceKind::frames) all.insert(all.begin(), event.readings.front());
    if (reading != event.readings.end()) all.push_back(*reading);
  }
  for (const RunMeanwhile& run : subject.meanwhile)
    plot.marks.push_back({in_seconds(run.begin), fmt::format("run {}", run.id)});
  // Names of marks that would lie over each other are left out.
  std::stable_sort(plot.marks.begin(), plot.marks.end(),
                   [](const PlotMark& a, const PlotMark& b) { return a.at < b.at; });
  double last = -1e9;
  for (PlotMark& mark : plot.marks) {
    if (mark.at - last < 0.04 * plot.x_to) mark.text.clear();
    if (!mark.text.empty()) last = mark.at;
  }
  std::stable_sort(all.begin(), all.end(), [](const ReadingChange& a, const ReadingChange& b) {
    return (a.info.id == "frame.rate") > (b.info.id == "frame.rate");
  });
  std::stable_partition(all.begin(), all.end(),
                        [](const ReadingChange& one) { return one.info.kind == DeviceKind::frames; });
  for (const ReadingChange& change : all) {
    if (plot.panels.size() == kPanels) break;
    const bool is_there = std::any_of(plot.panels.begin(), plot.panels.end(),
                                      [&](const Panel& panel) { return panel.title == change.info.title; });
    const auto found = std::find_if(subject.seconds.begin(), subject.seconds.end(),
                                    [&](const SecondSeries& one) { return one.info.id == change.info.id; });
    if (is_there || found == subject.seconds.end()) continue;
    Curve curve{"", {}, plot.panels.size(), Curve::Look::line};
    for (std::size_t i = 0; i < found->values.size(); ++i)
      curve.points.push_back({seconds_of(found->moment(i)) + 0.5, found->values[i]});
    curve.points = thinned(curve.points, static_cast<std::size_t>(plot.width));
    plot.panels.push_back({change.info.title, std::string(symbol(change.info.unit)), {std::move(curve)}, 1, false});
  }
  if (plot.panels.empty())
    throw Error(Error::Code::not_found, "nothing changed, so there is nothing to draw", options.store);
  write_plot(plot, options.picture);
  print("{}\n", options.picture);
}

int changes(const Options& options) {
  const Subject subject = read(options);
  Changes found = find_changes(subject.seconds, subject.texts);
  if (!options.at.empty()) keep_near(found, options.at);
  if (!options.picture.empty()) {
    write_picture(found, subject, options);
  } else if (options.json) {
    Json json = to_json(found);
    for (const RunMeanwhile& run : subject.meanwhile)
      json["meanwhile"].push_back(
          {{"run", run.id}, {"game", run.game}, {"from_s", in_seconds(run.begin)}, {"to_s", in_seconds(run.end)}});
    write_raw(escaped_json(json.dump(2, ' ', false, Json::error_handler_t::replace)) + "\n");
  } else {
    print_changes(found, options, subject);
  }
  return 0;
}

}  // namespace

void add_changes(Command app) {
  const auto options = std::make_shared<Options>();
  Command command =
      app.add("changes",
              "Say what changed during a run or a log: the rate, frame times, readings, and what else at that moment",
              [options] { return changes(*options); });
  command.option("RUN", options->what, "The number of a run or a log, or a table of readings, like a CSV file")
      .required();
  command.option("--time", options->table.time.name,
                 "Of a table: the column that says when; guessed where it is clear");
  command
      .option(
          "--every",
          [options](const std::string& text) {
            const auto time = duration_from(text, "s");
            if (!time || *time <= Nanoseconds{}) return fmt::format("'{}' isn't a time; write it like 1s", text);
            options->table.every = *time;
            return std::string();
          },
          "Of a table without such a column: the time from one line to the next, like 1s")
      .excludes(command.option("--time"));
  command.option("--at", options->at, "Only what changed within a minute of this time of the run, like 20:00")
      .check([](const std::string& text) {
        return duration_from(text, "s") ? "" : fmt::format("'{}' isn't a time; write it like 20:00 or 90 s", text);
      });
  command.flag("--all", options->all, "Everything that changed, with all readings");
  Option json = command.flag("--json", options->json, "As JSON");
  Option picture = command.option("-o,--output", options->picture, "A plot of the readings that changed: .png or .svg")
                       .check(is_picture_name())
                       .excludes(json);
  command.flag("--dark", options->dark, "The plot on dark ground").needs(picture);
  command.lacks("--by,--tag",
                "runs are named by their numbers here: 'idlemeter runs --tag TAG' lists them, and compare "
                "and report take both options");
  command.option("--store", options->store, "The file that holds runs").shows_default();
}

}  // namespace idlemeter::cli
