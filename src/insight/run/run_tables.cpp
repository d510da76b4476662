#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <sstream>

#include "idlemeter/base/table.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/insight/run_text.hpp"
#include "idlemeter/insight/words.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/runs/run.hpp"
#include "insight/run/run_columns.hpp"

namespace idlemeter {

namespace insight {
namespace {

std::string setting_of(const RunInfo& run) {
  std::vector<std::string> values;
  for (const auto& [name, value] : run.details.settings) values.push_back(value);
  return values.empty() ? "" : fmt::format(" ({})", fmt::join(values, ", "));
}

}  // namespace

std::vector<std::string> run_titles(const std::vector<RunInsight>& runs, std::vector<std::string> row) {
  for (std::size_t i = 0; i < runs.size(); ++i) {
    row.push_back(fmt::format("run {}{}", runs[i].info.id, setting_of(runs[i].info)));
    if (i > 0) row.emplace_back("");
  }
  return row;
}

std::string percent_against(double value, double base) {
  if (base == 0) return kNoFigure;
  const double percent = (value / base - 1) * 100;
  return fmt::format("{}{} %", std::round(percent * 10) > 0 ? "+" : "", format_number(percent, 1));
}

}  // namespace insight

using insight::kNoFigure, insight::percent_against, insight::run_titles;

namespace {

using enum Table::Align;

std::string rate(double frames_per_second) { return format_number(frames_per_second, 1); }
std::string milliseconds(double nanoseconds) { return format_number(nanoseconds / 1e6, 2); }

/// "2026-03-01 20:15"; whatever a damaged store has instead.
std::string started(const RunInfo& run) {
  const std::string text = run.started.substr(0, 16);
  return text.size() > 10 && text[10] == 'T' ? text.substr(0, 10) + " " + text.substr(11) : text;
}

/// One line of statistics: what it is, and its frame time in nanoseconds in a summary.
struct Statistic {
  std::string name, definition;
  std::optional<double> (*frame_time)(const Summary&, std::size_t);
  std::size_t argument = 0;
  bool marked = false;  // fewer frames than the definition wants
};

std::optional<double> average_of(const Summary& s, std::size_t) {
  return s.average_rate ? std::optional(1e9 / *s.average_rate) : std::nullopt;
}
std::optional<double> median_of(const Summary& s, std::size_t) { return s.median; }
std::optional<double> time_of(const std::optional<Nanoseconds>& time) {
  return time ? std::optional(static_cast<double>(time->count())) : std::nullopt;
}
std::optional<double> shortest_of(const Summary& s, std::size_t) { return time_of(s.shortest); }
std::optional<double> longest_of(const Summary& s, std::size_t) { return time_of(s.longest); }
std::optional<double> low_of(const Summary& s, std::size_t i) { return s.lows[i].frame_time; }
std::optional<double> percentile_of(const Summary& s, std::size_t i) { return s.percentiles[i].frame_time; }

/// The statistics that all summaries have.
std::vector<Statistic> statistics(const Summary& summary) {
  std::vector<Statistic> lines = {{"average", "frames over time", average_of},
                                  {"median", "", median_of},
                                  {"slowest frame", "", longest_of},
                                  {"fastest frame", "", shortest_of}};
  for (std::size_t i = 0; i < summary.lows.size(); ++i) {
    const Low& low = summary.lows[i];
    lines.push_back(
        {to_string(low.share) + " low", std::string(name_of(low.definition)), low_of, i, !low.enough_frames});
  }
  for (std::size_t i = 0; i < summary.percentiles.size(); ++i) {
    lines.push_back(
        {fmt::format("P{:.4g}", summary.percentiles[i].q * 100), "percentile of frame time", percentile_of, i});
  }
  return lines;
}

std::string remarks(const Summary& summary) {
  std::string text;
  for (const std::string& remark : summary.remarks()) text += fmt::format("  * {}\n", remark);
  return text;
}

bool is_of_one_core(const std::string& id) { return id.starts_with("cpu.core"); }

/// "gpu0.temp" if "gpu.temp" is the same card's, as older stores have both.
bool is_double(const ReadingInfo& info, const std::vector<ReadingInsight>& readings) {
  const std::size_t dot = info.id.find('.');
  if (!info.id.starts_with("gpu") || dot == std::string::npos || dot == 3) return false;
  const std::string same = "gpu" + info.id.substr(dot);
  return std::any_of(readings.begin(), readings.end(), [&](const ReadingInsight& other) {
    return other.info.id == same && other.info.device == info.device;
  });
}

/// The first run's readings that a table shows.
std::vector<ReadingInsight> worth_showing(const std::vector<RunInsight>& runs, ReadingChoice readings) {
  auto shown = runs.front().readings;
  if (readings == ReadingChoice::all) return shown;
  std::erase_if(shown, [&](const ReadingInsight& one) {
    const bool still = std::all_of(runs.begin(), runs.end(), [&](const RunInsight& run) {
      const ReadingInsight* other = run.reading(one.info.id);
      return other != nullptr && other->all.least == one.all.most && other->all.most == one.all.least;
    });
    return still || is_of_one_core(one.info.id) || is_double(one.info, runs.front().readings);
  });
  return shown;
}

/// Columns for each of several runs: the figure and, after all but the first, the difference.
std::vector<Table::Align> columns_for(std::size_t runs, std::size_t before) {
  std::vector<Table::Align> columns(before, left);
  columns.insert(columns.end(), 2 * runs - 1, right);
  return columns;
}

/// Statistics of several runs side by side.
Table rates_of(const std::vector<RunInsight>& runs) {
  const RunInsight& first = runs.front();
  Table table(columns_for(runs.size(), 2));
  table.add(run_titles(runs, {"FPS", ""}));
  const auto lines = first.summary.frames > 0 ? statistics(first.summary) : std::vector<Statistic>{};
  for (const Statistic& line : lines) {
    std::vector<std::string> row = {line.name, line.definition};
    const double base = 1e9 / *line.frame_time(first.summary, line.argument);
    for (const RunInsight& run : runs) {
      const bool there = run.summary.frames > 0;
      const double here = there ? 1e9 / *line.frame_time(run.summary, line.argument) : 0;
      const bool few = line.frame_time == low_of && there && !run.summary.lows[line.argument].enough_frames;
      row.push_back(there ? rate(here) + (few ? "*" : "") : kNoFigure);
      if (&run != &first) row.push_back(there ? percent_against(here, base) : kNoFigure);
    }
    table.add(std::move(row));
  }
  return table;
}

/// Means of the first run's readings, in all runs.
Table means_of(const std::vector<RunInsight>& runs, const std::vector<ReadingInsight>& shown) {
  Table table(columns_for(runs.size(), 1));
  table.add(run_titles(runs, {"mean of"}));
  for (const ReadingInsight& base : shown) {
    std::vector<std::string> row = {with_unit(base.info.title, base.info)};
    for (const RunInsight& run : runs) {
      const ReadingInsight* reading = run.reading(base.info.id);
      row.push_back(reading == nullptr ? kNoFigure : format_number(reading->all.mean, digits_of(base.info)));
      if (&run != &runs.front())
        row.push_back(reading == nullptr ? kNoFigure : percent_against(reading->all.mean, base.all.mean));
    }
    table.add(std::move(row));
  }
  return table;
}

}  // namespace

namespace {

/// "  note      the tide came in", with the name before the first line; nothing if there is no value.
std::string named_lines(const char* what, const std::string& value) {
  std::string text;
  for (std::string_view rest = value; !rest.empty(); what = "") {
    const std::size_t end = std::min(rest.find('\n'), rest.size());
    text += fmt::format("  {:<9} {}\n", what, printable(rest.substr(0, end)));
    rest.remove_prefix(std::min(end + 1, rest.size()));
  }
  return text;
}

}  // namespace

std::string run_heading(const RunInfo& run, RunFacts facts) {
  constexpr std::string_view kMain[] = {"Machine", "Processor", "GPU", "Graphics API", "Picture"};
  const std::string game = run.details.game.empty() ? "no name" : printable(run.details.game);
  std::string text =
      is_log(run) ? fmt::format("Log {}: {} UTC, {:.1f} s", run.id, printable(started(run)), in_seconds(run.length))
                  : fmt::format("Run {}: {}, {} UTC, {} frames in {:.1f} s", run.id, game, printable(started(run)),
                                run.frames, in_seconds(run.length));
  text += run.finished ? "\n" : " (not finished)\n";
  const auto add = [&text](const char* what, const std::string& value) { text += named_lines(what, value); };
  std::vector<std::string> settings, machine;
  for (const auto& [name, value] : run.details.settings) settings.push_back(name + " " + value);
  for (const std::string_view name : kMain) {
    const auto fact = run.details.facts.find(std::string(name));
    if (fact != run.details.facts.end()) machine.push_back(fact->first + " " + fact->second);
  }
  add("settings", fmt::format("{}", fmt::join(settings, ", ")));
  if (facts == RunFacts::main) add("machine", fmt::format("{}", fmt::join(machine, ", ")));
  add("note", run.details.note);
  add("tags", fmt::format("{}", fmt::join(run.details.tags, ", ")));
  if (facts == RunFacts::main) return text;
  add("ended", run.end ? std::string(name_of(*run.end)) : "unknown");
  add("lost", fmt::format("{} frames", run.lost));
  Table table({left, left});
  for (const auto& [name, value] : run.details.facts) table.add({printable(name), printable(value)});
  return text + table.text("  ");
}

std::string run_remarks(const RunInfo& run) {
  std::vector<std::string> about;
  for (const auto& [name, value] : run.details.settings) about.push_back(fmt::format("{} {}", name, value));
  about.insert(about.end(), run.details.tags.begin(), run.details.tags.end());
  std::istringstream notes(run.details.note);
  for (std::string note; std::getline(notes, note);) about.push_back(note);
  if (!run.problem.empty()) about.push_back("damaged: " + run.problem);
  if (run.problem.empty() && !run.finished) about.emplace_back("(not finished)");
  return fmt::format("{}", fmt::join(about, ", "));
}

std::string run_list_text(const std::vector<RunInfo>& runs, const std::map<std::int64_t, std::uint64_t>& sizes) {
  std::vector<Table::Align> columns = {right, left, left, right, right, right, left};
  std::vector<std::string> head = {"run",    "game",         "started (UTC)",       "length, s",
                                   "frames", "average, FPS", "settings, tags, note"};
  if (!sizes.empty()) {
    columns.insert(columns.end() - 1, right);
    head.insert(head.end() - 1, "size, MiB");
  }
  Table table(columns);
  table.add(head);
  for (const RunInfo& run : runs) {
    const double seconds = in_seconds(run.length);
    std::vector<std::string> row = {
        fmt::format("{}", run.id),
        run.details.game,
        started(run),
        format_number(seconds, 1),
        fmt::format("{}", run.frames),
        run.frames > 0 && seconds > 0 ? rate(static_cast<double>(run.frames) / seconds) : kNoFigure,
        run_remarks(run)};
    if (!sizes.empty()) {
      const auto size = sizes.find(run.id);
      const double bytes = size == sizes.end() ? 0 : static_cast<double>(size->second);
      row.insert(row.end() - 1, format_number(bytes / (1024 * 1024), 2));
    }
    table.add(std::move(row));
  }
  return table.text();
}

namespace {

std::string statistics_table(const Summary& summary) {
  Table table({left, left, right, right, left});
  table.add({"", "", "FPS", "ms", ""});
  for (const Statistic& line : statistics(summary)) {
    const double time = *line.frame_time(summary, line.argument);
    table.add({line.name, line.definition, rate(1e9 / time), milliseconds(time), line.marked ? "*" : ""});
  }
  table.add({"pacing", "mean change from frame to frame", "",
             summary.pacing ? milliseconds(*summary.pacing) : kNoFigure, ""});
  return table.text("  ");
}

std::string readings_table(const RunInsight& run) {
  const std::string edge = fmt::format("{:.0f} s", in_seconds(run.edge));
  Table table({left, right, right, right, right, right});
  table.add({"", "mean", "least", "most", "first " + edge, "last " + edge});
  for (const ReadingInsight& one : run.readings) {
    const int digits = digits_of(one.info);
    const auto shown = [&](std::optional<double> value) { return value ? format_number(*value, digits) : kNoFigure; };
    table.add({with_unit(one.info.title, one.info), shown(one.all.mean), shown(one.all.least), shown(one.all.most),
               shown(one.first), shown(one.last)});
  }
  return table.text("  ");
}

}  // namespace

std::string run_statistics_text(const RunInsight& run) {
  std::string text = run_heading(run.info, RunFacts::all) + "\n";
  if (run.summary.frames > 0) text += statistics_table(run.summary);
  text += remarks(run.summary);
  for (const RunMark& mark : run.marks)
    text += fmt::format("  mark {} at {}\n", printable(mark.about), moment_words(mark.at));
  return run.readings.empty() ? text : text + "\n" + readings_table(run);
}

SideBySide runs_side_by_side(const std::vector<RunInsight>& runs, ReadingChoice readings) {
  std::string text;
  for (const RunInsight& run : runs) text += run_heading(run.info);
  text += "\n" + rates_of(runs).text("  ");
  for (const RunInsight& run : runs) {
    for (const std::string& remark : run.summary.remarks())
      text += fmt::format("  * run {}: {}\n", run.info.id, remark);
    for (const Doubt& doubt : run.doubts) text += fmt::format("  ! run {}: {}\n", run.info.id, printable(doubt.text));
  }
  if (runs.front().readings.empty()) return {text, 0};
  const auto shown = worth_showing(runs, readings);
  return {text + "\n" + means_of(runs, shown).text("  "), runs.front().readings.size() - shown.size()};
}

}  // namespace idlemeter
