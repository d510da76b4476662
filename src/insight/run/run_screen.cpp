#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "idlemeter/base/table.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/insight/run_text.hpp"
#include "idlemeter/insight/words.hpp"
#include "idlemeter/readings/units.hpp"
#include "insight/run/run_columns.hpp"

namespace idlemeter {
namespace {

using enum Table::Align;

constexpr LowDefinition kShownLow = LowDefinition::mean_of_slowest;

std::string ms(double nanoseconds) { return format_number(nanoseconds / 1e6, 2); }

std::string line(const char* what, const std::string& text) {
  return text.empty() ? "" : fmt::format("  {:<9} {}\n", what, text);
}

const IntervalResult* find(const std::vector<SureFigure>& intervals, Figure::Kind kind, Share share = {}) {
  for (const SureFigure& one : intervals) {
    const bool is_it = one.figure.kind == kind && (kind != Figure::Kind::low || one.figure.share == share);
    if (is_it) return &one.result;
  }
  return nullptr;
}

/// "90.1 to 92.3" of a rate.
std::string interval_of_rate(const IntervalResult* result) {
  if (result == nullptr) return "";
  if (!result->interval) return insight::kNoFigure;
  return fmt::format("{} to {}", format_number(1e9 / result->interval->high, 1),
                     format_number(1e9 / result->interval->low, 1));
}

std::string interval_of_time(const IntervalResult* result) {
  if (result == nullptr) return "";
  if (!result->interval) return insight::kNoFigure;
  return fmt::format("{} to {}", ms(result->interval->low), ms(result->interval->high));
}

std::string name_of(const Figure& figure) {
  if (figure.kind == Figure::Kind::average) return "average";
  return figure.kind == Figure::Kind::low ? to_string(figure.share) + " low" : "median";
}

/// Why figures have no interval, each reason with the names of those figures.
using Reasons = std::vector<std::pair<std::string, std::vector<std::string>>>;

Reasons reasons_of(const std::vector<SureFigure>& intervals) {
  Reasons reasons;
  for (const SureFigure& one : intervals) {
    if (one.result.interval) continue;
    const auto at =
        std::find_if(reasons.begin(), reasons.end(), [&](const auto& r) { return r.first == one.result.reason; });
    (at == reasons.end() ? reasons.emplace_back(one.result.reason, std::vector<std::string>{}) : *at)
        .second.push_back(name_of(one.figure));
  }
  return reasons;
}

/// What the intervals are about, and why figures have none.
std::string about(const std::vector<SureFigure>& intervals) {
  const bool any =
      std::any_of(intervals.begin(), intervals.end(), [](const SureFigure& one) { return one.result.interval; });
  std::string text =
      any ? "  intervals: if this stretch of play went on like this; the next run may differ by more\n" : "";
  for (const auto& [reason, names] : reasons_of(intervals))
    text += fmt::format("  no interval for the {}: {}\n", fmt::join(names, ", "), reason);
  return text;
}

std::string figures(const RunInsight& run, const std::vector<SureFigure>& intervals) {
  const Summary& s = run.summary;
  if (is_log(run.info)) return "  a log without a game: it has readings and no frames\n";
  if (s.frames == 0) return "  no frames: no figure is defined\n";
  Table table({left, right, left, left, left});
  const bool sure =
      std::any_of(intervals.begin(), intervals.end(), [](const auto& one) { return one.result.interval; });
  const std::vector<SureFigure> shown = sure ? intervals : std::vector<SureFigure>();
  if (sure) table.add({"", "", "", "95 % interval", ""});
  table.add({"average", format_number(*s.average_rate, 1), "FPS", interval_of_rate(find(shown, Figure::Kind::average)),
             "frames over time"});
  for (const Low& low : s.lows) {
    table.add({to_string(low.share) + " low", format_number(low.rate, 1), low.enough_frames ? "FPS" : "FPS *",
               interval_of_rate(find(shown, Figure::Kind::low, low.share)), std::string(name_of(low.definition))});
  }
  table.add({"median", ms(*s.median), "ms", interval_of_time(find(shown, Figure::Kind::percentile)),
             fmt::format("{} FPS", format_number(1e9 / *s.median, 1))});
  table.add({"longest", ms(static_cast<double>(s.longest->count())), "ms", "", "at " + moment_words(run.longest_at)});
  return table.text("  ") + about(intervals);
}

std::string trust(const RunInsight& run) {
  if (run.doubts.empty()) return line("trust", "no problems found");
  std::string text;
  for (const Doubt& doubt : run.doubts) text += line(text.empty() ? "trust" : "", "! " + printable(doubt.text));
  return text;
}

std::string hitches(const RunInsight& run) {
  Table table({left, right, left, left});
  bool any = false;
  for (const HitchInsight& one : run.hitches) {
    const std::string odd = oddity_words(one);
    table.add({moment_words(one.hitch.begin), format_number(in_milliseconds(one.hitch.worst), 1), "ms",
               odd.empty() ? "nothing else was unusual" : printable(odd)});
    any = true;
  }
  return any ? "\n  The worst hitches, and what else was unusual at that moment:\n" + table.text("    ") : "";
}

}  // namespace

SummaryRequest screen_request() { return {{Share::percent(1), Share::percent(0.1)}, {kShownLow}, {}}; }

std::string run_screen(const RunInsight& run, const std::vector<SureFigure>& intervals) {
  std::string text = run_heading(run.info) + "\n" + figures(run, intervals) + "\n";
  if (run.summary.frames > 0) text += line("stutters", stutter_words(run)) + line("limit", limit_words(run));
  text += line("heat", heat_words(run)) + line("clocks", clock_words(run)) + line("power", power_words(run));
  text += line("marks", printable(mark_words(run)));
  if (run.summary.frames > 0 || !is_log(run.info)) text += trust(run);
  if (run.summary.left_out > 0)
    text +=
        line("", fmt::format("{} intervals of zero or less or over an hour are in no figure", run.summary.left_out));
  if (run.loading_left_out && run.loading_frames > 0)
    text += line("", fmt::format("{} frames over a second are in no figure, as asked", run.loading_frames));
  return text + hitches(run);
}

}  // namespace idlemeter
