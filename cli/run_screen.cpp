#include "run_screen.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/frames/limit.hpp"
#include "idlemeter/readings/units.hpp"
#include "run_tables.hpp"
#include "table.hpp"

namespace idlemeter::cli {
namespace {

using enum Table::Align;

constexpr const char* kNone = "–";
constexpr LowDefinition kDefinition = LowDefinition::mean_of_slowest;

/// "0:35.1"
std::string moment(Moment at) {
  const double seconds = in_seconds(at.time_since_epoch());
  const int minutes = static_cast<int>(seconds / 60);
  return fmt::format("{}:{:04.1f}", minutes, std::floor((seconds - 60 * minutes) * 10) / 10);
}

std::string percent(double share) { return fmt::format("{:.{}f} %", 100 * share, share > 0 && share < 0.1 ? 1 : 0); }

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
  if (!result->interval) return kNone;
  return fmt::format("{} to {}", format_number(1e9 / result->interval->high, 1),
                     format_number(1e9 / result->interval->low, 1));
}

std::string interval_of_time(const IntervalResult* result) {
  if (result == nullptr) return "";
  if (!result->interval) return kNone;
  return fmt::format("{} to {}", ms(result->interval->low), ms(result->interval->high));
}

std::string name_of(const Figure& figure) {
  if (figure.kind == Figure::Kind::average) return "average";
  return figure.kind == Figure::Kind::low ? to_string(figure.share) + " low" : "median";
}

/// Why figures have no interval.
std::string reasons(const std::vector<SureFigure>& intervals) {
  std::string text;
  for (const SureFigure& one : intervals) {
    if (!one.result.interval)
      text += fmt::format("  no interval for the {}: {}\n", name_of(one.figure), one.result.reason);
  }
  return text;
}

std::string figures(const RunInsight& run, const std::vector<SureFigure>& intervals) {
  const Summary& s = run.summary;
  if (s.frames == 0) return "  no frames: no figure is defined\n";
  Table table({left, right, left, left, left});
  const bool sure = !intervals.empty();
  if (sure) table.add({"", "", "", "95 % interval", ""});
  table.add({"average", format_number(*s.average_rate, 1), "FPS",
             interval_of_rate(find(intervals, Figure::Kind::average)), "frames over time"});
  for (const Low& low : s.lows) {
    table.add({to_string(low.share) + " low", format_number(low.rate, 1), low.enough_frames ? "FPS" : "FPS *",
               interval_of_rate(find(intervals, Figure::Kind::low, low.share)), std::string(name_of(low.definition))});
  }
  table.add({"median", ms(*s.median), "ms", interval_of_time(find(intervals, Figure::Kind::percentile)),
             fmt::format("{} FPS", format_number(1e9 / *s.median, 1))});
  table.add({"longest", ms(static_cast<double>(s.longest->count())), "ms", "", "at " + moment(run.longest_at)});
  return table.text("  ") + reasons(intervals);
}

std::string stutters(const RunInsight& run) {
  const Stutters& s = run.stutters;
  if (s.frames.empty()) return "none";
  const auto worst = std::max_element(s.hitches.begin(), s.hitches.end(),
                                      [](const Hitch& a, const Hitch& b) { return a.worst < b.worst; });
  const auto several = [](std::size_t n, const char* what) {
    return fmt::format("{} {}{}", n, what, n == 1 ? "" : "s");
  };
  return fmt::format(
      "{} in {}: {:.2f} s lost, {} of the time; the worst {} ms at {}", several(s.frames.size(), "frame"),
      s.hitches.size() == 1 ? "1 hitch" : fmt::format("{} hitches", s.hitches.size()), in_seconds(s.lost),
      percent(s.share), format_number(in_milliseconds(worst->worst), 1), moment(worst->begin));
}

std::string limits(const RunInsight& run) {
  std::vector<Limit> order(std::begin(kLimits), std::end(kLimits));
  std::stable_sort(order.begin(), order.end(),
                   [&](Limit a, Limit b) { return run.limits.share(a) > run.limits.share(b); });
  std::vector<std::string> parts;
  for (const Limit limit : order) {
    const double share = run.limits.share(limit);
    if (share >= 0.005) parts.push_back(fmt::format("{} {:.0f} %", name_of(limit), 100 * share));
  }
  const bool known = run.limits.share(Limit::unknown) < 0.5;
  if (!known) return "unknown: neither GPU times nor a GPU load were recorded";
  return fmt::format("{} ({})", fmt::join(parts, ", "),
                     run.limits_by_gpu_times ? "by GPU times" : "by the GPU's load, which is weaker evidence");
}

struct Named {
  const char* id;
  const char* name;
};

/// "GPU 74 °C (most 76), hotspot 94 (most 95)", of those that the run has.
std::string heat(const RunInsight& run) {
  constexpr Named kTemperatures[] = {
      {"gpu.temp", "GPU"}, {"gpu.hotspot.temp", "hotspot"}, {"gpu.memory.temp", "VRAM"}, {"cpu.temp", "processor"}};
  std::vector<std::string> parts;
  for (const auto& [id, name] : kTemperatures) {
    const ReadingInsight* reading = run.reading(id);
    if (reading == nullptr) continue;
    const std::string over = reading->over.value_or(0) < 0.005
                                 ? ""
                                 : fmt::format(", {} of the time over its limit", percent(*reading->over));
    parts.push_back(fmt::format("{} {:.0f}{} (most {:.0f}{})", name, reading->all.mean, parts.empty() ? " °C" : "",
                                reading->all.most, over));
  }
  return fmt::format("{}", fmt::join(parts, ", "));
}

std::string clocks(const RunInsight& run) {
  constexpr Named kClocks[] = {{"gpu.clock", "GPU"}, {"cpu.clock", "processor"}};
  std::vector<std::string> parts;
  for (const auto& [id, name] : kClocks) {
    const ReadingInsight* reading = run.reading(id);
    if (reading == nullptr) continue;
    std::string edges;
    if (reading->first && reading->last)
      edges =
          fmt::format(" (first {:.0f} s {:.0f}, last {:.0f})", in_seconds(run.edge), *reading->first, *reading->last);
    parts.push_back(fmt::format("{} {:.0f} MHz{}", name, reading->all.mean, edges));
  }
  return fmt::format("{}", fmt::join(parts, ", "));
}

std::string power(const RunInsight& run) {
  std::vector<std::string> parts;
  for (const auto& [id, name] : {Named{"gpu.power", "GPU"}, Named{"cpu.power", "processor"}}) {
    if (const ReadingInsight* reading = run.reading(id))
      parts.push_back(fmt::format("{} {:.1f} W (most {:.1f})", name, reading->all.mean, reading->all.most));
  }
  const auto joule = run.frames_per_joule_both ? run.frames_per_joule_both : run.frames_per_joule_graphics;
  if (joule)
    parts.push_back(fmt::format("{:.2f} frames a joule of {}", *joule, run.frames_per_joule_both ? "both" : "the GPU"));
  return fmt::format("{}", fmt::join(parts, ", "));
}

std::string trust(const RunInsight& run) {
  if (run.doubts.empty()) return line("trust", "nothing speaks against these figures");
  std::string text;
  for (const Doubt& doubt : run.doubts) text += line(text.empty() ? "trust" : "", "! " + printable(doubt.text));
  return text;
}

std::string as_text(const ReadingInfo& info, double value) { return format_value(info, Value(value)); }

std::string hitches(const RunInsight& run) {
  constexpr std::size_t kOddities = 2;
  Table table({left, right, left, left});
  bool any = false;
  for (const HitchInsight& one : run.hitches) {
    std::vector<std::string> odd;
    for (const Oddity& oddity : one.oddities) {
      if (odd.size() == kOddities) break;
      odd.push_back(fmt::format("{} {} (usually {})", oddity.info.title, as_text(oddity.info, oddity.value),
                                as_text(oddity.info, oddity.usual)));
    }
    table.add({moment(one.hitch.begin), format_number(in_milliseconds(one.hitch.worst), 1), "ms",
               odd.empty() ? "nothing else was unusual" : printable(fmt::format("{}", fmt::join(odd, ", ")))});
    any = true;
  }
  return any ? "\n  The worst hitches, and what else was unusual at that moment:\n" + table.text("    ") : "";
}

}  // namespace

SummaryRequest screen_request() { return {{Share::percent(1), Share::percent(0.1)}, {kDefinition}, {}}; }

std::string run_screen(const RunInsight& run, const std::vector<SureFigure>& intervals) {
  std::string text = heading(run.info) + "\n" + figures(run, intervals) + "\n";
  if (run.summary.frames > 0) text += line("stutters", stutters(run)) + line("limit", limits(run));
  text += line("heat", heat(run)) + line("clocks", clocks(run)) + line("power", power(run));
  if (run.summary.frames > 0) text += trust(run);
  if (run.summary.left_out > 0)
    text +=
        line("", fmt::format("{} intervals of zero or less or over an hour are in no figure", run.summary.left_out));
  if (run.loading_left_out && run.loading_frames > 0)
    text += line("", fmt::format("{} frames over a second are in no figure, as asked", run.loading_frames));
  return text + hitches(run);
}

}  // namespace idlemeter::cli
