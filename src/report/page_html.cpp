#include "report/page_html.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <map>
#include <optional>
#include <span>

#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/limit.hpp"
#include "idlemeter/insight/definitions.hpp"
#include "idlemeter/insight/words.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/runs/run.hpp"
#include "report/html.hpp"
#include "report/page_data.hpp"

namespace idlemeter::report {
namespace {

constexpr std::size_t kLongestText = 20'000;
constexpr std::size_t kHitches = 5;  // shown of a run; of many runs fewer

std::string shown(const ReadingInfo& info, double value) { return format_number(value, digits_of(info)); }

/// "Quality is faster than Medium: average frame rate +36.8 % (95 % interval +35.0 % to +38.6 %)."
std::string headline(const Comparison& comparison, double confidence) {
  const ComparedFigure& figure = comparison.figures.front();
  std::string text;
  for (std::size_t g = 0; g < figure.groups.size(); ++g) {
    const auto& difference = figure.groups[g].difference;
    if (!difference) continue;
    const std::string group = "<b><bdi>" + html(comparison.names[g]) + "</bdi></b>",
                      base = "<b><bdi>" + html(comparison.names[comparison.base]) + "</bdi></b>";
    const std::string amount = html(amount_words(figure.info, *difference, difference->value));
    const std::string interval = difference->low ? fmt::format(" ({:g} % interval ", 100 * confidence) +
                                                       html(interval_words(figure.info, *difference)) + ")"
                                                 : "";
    const std::string what = html(in_sentence(figure.info.title));
    const std::string verdict = html(verdict_words(figure.info, *difference));
    const bool is_told = difference->verdict == Verdict::higher || difference->verdict == Verdict::lower;
    text += is_told ? fmt::format("<p class=\"headline\">{} against {}: {} <b>{}</b>, {}{}.</p>\n", group, base, what,
                                  amount, verdict, interval)
                    : fmt::format("<p class=\"headline\">{} against {}: {}, {}. Seen: {}{}.</p>\n", group, base, what,
                                  verdict, amount, interval);
  }
  return text;
}

std::string doubts_of(const RunInsight& run) {
  if (run.doubts.empty()) return "no problems found";
  std::vector<std::string> lines;
  for (const Doubt& doubt : run.doubts) lines.push_back(html(doubt.text));
  return list("doubts", lines);
}

std::string stutters_of(const RunInsight& run) {
  const std::size_t frames = run.stutters.frames.size();
  return frames == 0 ? "none" : fmt::format("{} frame{}", frames, frames == 1 ? "" : "s");
}

/// What limited most of the play.
std::string limit_of(const RunInsight& run) {
  const Limit main = run.limits.main();
  return main == Limit::unknown ? "unknown" : fmt::format("{}, {:.0f} %", name_of(main), 100 * run.limits.share(main));
}

/// A bar from 0 with the interval of its mean as a whisker; only shapes, for the numbers stand beside it.
std::string bar(const ComparedGroup& group, double most, std::size_t color) {
  if (!group.mean || most <= 0) return "";
  const auto at = [&](double value) { return std::clamp(100 * value / most, 0.0, 100.0); };
  std::string shapes = fmt::format("<rect class=\"fill{}\" x=\"0\" y=\"3\" width=\"{:.2f}\" height=\"14\"/>", color % 6,
                                   at(*group.mean));
  if (group.interval)
    shapes += fmt::format(
        "<path class=\"whisker\" d=\"M{0:.2f} 10H{1:.2f}M{0:.2f} 5v10M{1:.2f} 5v10\" "
        "vector-effect=\"non-scaling-stroke\"/>",
        at(group.interval->low), at(group.interval->high));
  return "<svg class=\"bar\" viewBox=\"0 0 100 20\" preserveAspectRatio=\"none\" aria-hidden=\"true\">" + shapes +
         "</svg>";
}

double largest(const ComparedFigure& figure) {
  double most = 0;
  for (const ComparedGroup& group : figure.groups)
    most = std::max({most, group.mean.value_or(0), group.interval ? group.interval->high : 0});
  return most;
}

std::string compared(const Comparison& comparison, const ComparedFigure& figure) {
  using enum Cell::Kind;
  std::string rows;
  for (std::size_t g = 0; g < figure.groups.size(); ++g) {
    const ComparedGroup& group = figure.groups[g];
    const auto& difference = group.difference;
    std::string verdict = g == comparison.base ? "base"
                          : difference         ? html(verdict_words(figure.info, *difference))
                                               : "no figure";
    if (figure.best == g) verdict += ", <b>best</b>";
    if (figure.worst == g) verdict += ", worst";
    rows += row({{html(comparison.names[g]), row_head},
                 {fmt::format("{}", group.values.size()), number},
                 {bar(group, largest(figure), g)},
                 {html(mean_words(figure, group)), number},
                 {difference ? html(amount_words(figure.info, *difference, difference->value)) : "", number},
                 {difference ? html(interval_words(figure.info, *difference)) : "", number},
                 {verdict, words}});
  }
  const std::string title = with_unit(figure.info.title, figure.info);
  return fmt::format("<h3>{}</h3>\n", html(title)) + table(title,
                                                           head({{"Group"},
                                                                 {"Runs", number},
                                                                 {"Mean, with its interval"},
                                                                 {"Mean ± spread", number},
                                                                 {"Difference", number},
                                                                 {"Interval", number},
                                                                 {"Verdict"}}),
                                                           rows);
}

template <typename Call>
void each_run(const std::vector<RunGroup>& groups, Call call) {
  std::size_t i = 0;
  for (const RunGroup& group : groups) {
    for (const RunInsight& run : group.runs) call(run, i++);
  }
}

/// Facts or settings by name, and each run's value.
using Facts = std::map<std::string, std::vector<std::optional<std::string>>>;

Facts facts_of(const std::vector<RunGroup>& groups, std::map<std::string, std::string> RunDetails::*which) {
  std::size_t runs = 0;
  for (const RunGroup& group : groups) runs += group.runs.size();
  Facts facts;
  each_run(groups, [&](const RunInsight& run, std::size_t i) {
    for (const auto& [name, value] : run.info.details.*which) {
      auto& values = facts[name];
      values.resize(runs);
      values[i] = value;
    }
  });
  return facts;
}

bool is_same(const std::vector<std::optional<std::string>>& values) {
  return std::all_of(values.begin(), values.end(), [&](const auto& one) { return one == values.front(); });
}

std::string long_text(const std::string& text) { return html(cut_to(printable(text, "\n"), kLongestText)); }

std::string summary_row(const RunInsight& run, const std::string& group, bool has_groups,
                        const std::vector<RunFigure>& figures) {
  using enum Cell::Kind;
  std::vector<Cell> cells = {{html(name_of(run.info)), row_head}};
  if (has_groups) cells.push_back({html(group)});
  for (const RunFigure& figure : figures)
    cells.push_back(
        {figure.value ? shown(figure.info, *figure.value) + (figure.is_uncertain ? " *" : "") : "–", number});
  cells.push_back({stutters_of(run), number});
  cells.push_back({limit_of(run)});
  cells.push_back({doubts_of(run), words});
  return row(cells);
}

}  // namespace

std::string summary_section(const std::vector<RunGroup>& groups, const FigureSet& figures,
                            const Comparison* comparison) {
  using enum Cell::Kind;
  std::vector<RunInsight> all;
  each_run(groups, [&](const RunInsight& run, std::size_t) { all.push_back(run); });
  const auto values = figures.of(all);
  std::vector<Cell> heads = {{"Run"}};
  if (comparison != nullptr) heads.push_back({"Group"});
  for (const RunFigure& figure : values.front())
    heads.push_back({html(with_unit(figure.info.title, figure.info)), number});
  heads.push_back({"Stutters", number});
  for (const char* title : {"Limited by", "Trust"}) heads.push_back({title});
  std::string rows;
  bool any_uncertain = false;
  std::size_t i = 0;
  for (const RunGroup& group : groups) {
    for (const RunInsight& run : group.runs) {
      any_uncertain = any_uncertain || std::ranges::any_of(values[i], &RunFigure::is_uncertain);
      rows += summary_row(run, comparison == nullptr ? "" : group.name, comparison != nullptr, values[i++]);
    }
  }
  std::string content = table("Summary", head(heads), rows);
  if (any_uncertain) content += "<p class=\"note\">* of too few frames to be sure</p>\n";
  return section("summary", "Summary", content);
}

std::string others_table(const Comparison& comparison) {
  std::vector<Cell> heads = {{"What"}};
  for (const std::string& name : comparison.names) heads.push_back({html(name)});
  std::string rows;
  for (const OtherDifference& other : comparison.others) {
    std::vector<Cell> cells = {{html(other.what), Cell::Kind::row_head}};
    for (const std::string& value : other.values) cells.push_back({long_text(value)});
    rows += row(cells);
  }
  return table("What else differs", head(heads), rows);
}

std::string comparison_section(const Comparison& comparison, double confidence) {
  std::string text = comparison.figures.empty() ? "" : headline(comparison, confidence);
  for (const ComparedFigure& figure : comparison.figures) text += compared(comparison, figure);
  std::vector<std::string> odd;
  for (const std::string& line : odd_run_words(comparison)) odd.push_back(html(line));
  for (const std::string& line : doubt_words(comparison)) odd.push_back(html(line));
  text += list("doubts", odd);
  if (!comparison.others.empty()) text += "<h3>What else differs</h3>\n" + others_table(comparison);
  return section("comparison", "Comparison", text);
}

std::string without_plots() {
  return section("plots", "Plots",
                 "<p class=\"note\">Idle Meter was built without the chart library that draws plots on a page.</p>\n");
}

std::string plots_section(bool thinned) {
  std::string text =
      "<p class=\"needs-script\">The plots need JavaScript, which this page's own script draws them with.</p>\n"
      "<div class=\"tools\" hidden>\n"
      "<fieldset id=\"runs\"><legend>Runs</legend></fieldset>\n"
      "<p><button type=\"button\" id=\"whole\">Show the whole time</button>\n"
      "<label>Look <select id=\"look\"><option value=\"\">as the system</option><option value=\"light\">bright</option>"
      "<option value=\"dark\">dark</option></select></label></p>\n"
      "<p class=\"note\">Drag over a plot to zoom all plots over time, double-click for the whole time. By keyboard: "
      "focus a plot, ← and → move the pointer (with Shift ten times as far), + and − zoom, 0 shows all.</p>\n"
      "</div>\n";
  if (thinned)
    text +=
        "<p class=\"note\">There are too many frames to draw each: the plots over time show the first, shortest, "
        "longest "
        "and last frame of each slice of time. The figures are of all frames.</p>\n";
  return section("plots", "Plots", text + "<div id=\"charts\"></div>\n");
}

namespace {

/// `i`: the run's place in the page's data.
std::string hitch_row(const RunInsight& run, std::size_t i, const HitchInsight& one, std::size_t oddities) {
  using enum Cell::Kind;
  const double begin = in_seconds(one.hitch.begin.time_since_epoch());
  const std::string odd = oddity_words(one, oddities);
  return row(
      {{html(name_of(run.info)), row_head},
       {fmt::format("<button type=\"button\" class=\"jump\" data-run=\"{}\" data-from=\"{:.3f}\" data-to=\"{:.3f}\">"
                    "{}</button>",
                    i, begin - 1, begin + in_seconds(one.hitch.length) + 1, moment_words(one.hitch.begin)),
        number},
       {format_number(in_milliseconds(one.hitch.worst), 1), number},
       {format_number(in_milliseconds(one.hitch.lost), 1), number},
       {fmt::format("{}", one.hitch.stutters), number},
       {odd.empty() ? "nothing" : html(odd), words}});
}

}  // namespace

std::string stutters_section(const std::vector<RunGroup>& groups) {
  using enum Cell::Kind;
  std::size_t runs = 0;
  for (const RunGroup& group : groups) runs += group.runs.size();
  const std::size_t most = runs > 3 ? 2 : kHitches, oddities = runs > 3 ? 1 : 3;
  std::string rows;
  each_run(groups, [&](const RunInsight& run, std::size_t i) {
    for (const HitchInsight& one : std::span(run.hitches).first(std::min(most, run.hitches.size())))
      rows += hitch_row(run, i, one, oddities);
  });
  if (rows.empty()) return section("stutters", "Stutters", "<p>None of the runs stuttered.</p>\n");
  return section(
      "stutters", "Stutters",
      "<p>The worst of each run, with what else was unusual at that moment: evidence, not a cause. A moment shows "
      "it in the plots.</p>\n" +
          table("Stutters",
                head({{"Run"},
                      {"At", number},
                      {"Longest, ms", number},
                      {"Lost, ms", number},
                      {"Frames", number},
                      {"Unusual"}}),
                rows));
}

/// Texts by name, one for each run.
using TextsOfRuns = std::map<std::string, std::vector<std::optional<std::string>>>;

/// What isn't the same in all runs, a line for each run.
std::string different_facts(const std::vector<RunGroup>& groups, const TextsOfRuns& different) {
  if (different.empty()) return "";
  std::vector<Cell> heads = {{"Run"}};
  for (const auto& [name, values] : different) heads.push_back({html(name)});
  std::string rows;
  each_run(groups, [&](const RunInsight& run, std::size_t i) {
    std::vector<Cell> cells = {{html(name_of(run.info)), Cell::Kind::row_head}};
    for (const auto& [name, values] : different) cells.push_back({values[i] ? long_text(*values[i]) : "–"});
    rows += row(cells);
  });
  return "<h3>What differs</h3>\n" + table("What differs", head(heads), rows);
}

/// A run's lines, to be opened.
std::string details_of(const RunInsight& run) {
  std::string lines;
  const auto add = [&](const char* what, const std::string& words) {
    if (!words.empty()) lines += fmt::format("<dt>{}</dt><dd>{}</dd>", what, words);
  };
  add("started", html(run.info.started));
  add("frames", fmt::format("{} in {:.1f} s", run.info.frames, in_seconds(run.info.length)));
  add("stutters", html(stutter_words(run)));
  add("limited by", html(limit_words(run)));
  add("heat", html(heat_words(run)));
  add("clocks", html(clock_words(run)));
  add("power", html(power_words(run)));
  add("note", long_text(run.info.details.note));
  add("tags", html(fmt::format("{}", fmt::join(run.info.details.tags, ", "))));
  return fmt::format("<details><summary>{}</summary><dl>{}</dl></details>\n", html(name_of(run.info)), lines);
}

std::string facts_section(const std::vector<RunGroup>& groups, bool arguments) {
  std::string same;
  TextsOfRuns different;
  for (const auto which : {&RunDetails::settings, &RunDetails::facts}) {
    for (auto& [name, values] : facts_of(groups, which)) {
      if (which == &RunDetails::facts && name == kArgumentsFact && !arguments) continue;
      if (is_same(values)) {
        same += row({{html(name), Cell::Kind::row_head}, {long_text(*values.front())}});
      } else {
        different.emplace(name, values);
      }
    }
  }
  std::string text = different_facts(groups, different) + "<h3>Each run</h3>\n";
  each_run(groups, [&](const RunInsight& run, std::size_t) { text += details_of(run); });
  if (!same.empty()) text += "<h3>The same in all runs</h3>\n" + table("The same in all runs", "", same);
  return section("facts", "Facts and settings", text);
}

std::string definitions_section(const FigureSet& figures, double confidence) {
  std::string text = "<dl class=\"definitions\">\n";
  for (const auto& [term, words] : figure_definitions()) text += fmt::format("<dt>{}</dt><dd>{}</dd>\n", term, words);
  if (confidence > 0)
    text += fmt::format("<dt>Difference, interval, verdict</dt><dd>{}</dd>\n", comparison_definition(confidence));
  text += "</dl>\n<p class=\"note\">Figures:";
  for (const RunFigure& figure : figures.of(RunInsight())) text += " " + html(figure.info.id) + ";";
  text.back() = '.';
  return section("definitions", "Definitions", text + "</p>\n");
}

}  // namespace idlemeter::report
