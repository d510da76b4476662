#include "idlemeter/insight/words.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cctype>
#include <cmath>

#include "base/enum_names.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/limit.hpp"
#include "idlemeter/frames/stutter.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter {
namespace {

std::string percent(double share) { return fmt::format("{:.{}f} %", 100 * share, share > 0 && share < 0.1 ? 1 : 0); }

struct Named {
  const char* id;
  const char* name;
};

std::string as_text(const ReadingInfo& info, double value) { return format_value(info, Value(value)); }

std::string shown(const ReadingInfo& info, double value, int more = 0) {
  return format_number(value, digits_of(info) + more);
}

std::string change(double share) { return fmt::format("{}{} %", share > 0 ? "+" : "", format_number(100 * share, 1)); }

}  // namespace

std::string moment_words(Moment at) {
  const double seconds = std::abs(in_seconds(at.time_since_epoch()));
  const int minutes = static_cast<int>(seconds / 60);
  return fmt::format("{}{}:{:04.1f}", at < Moment{} && seconds >= 0.1 ? "-" : "", minutes,
                     std::floor((seconds - 60 * minutes) * 10) / 10);
}

std::string second_words(Moment at) {
  const auto seconds = std::max<std::int64_t>(0, at.time_since_epoch() / kSecond);
  return seconds < 3'600 ? fmt::format("{}:{:02}", seconds / 60, seconds % 60)
                         : fmt::format("{}:{:02}:{:02}", seconds / 3'600, seconds / 60 % 60, seconds % 60);
}

std::string run_words(const RunInfo& run) {
  std::string words = fmt::format("run {}", run.id);
  for (const auto& [name, value] : run.details.settings) words += ", " + value;
  return words;
}

std::string added_words(const Store::Added& added) {
  const std::size_t runs = added.runs.size();
  std::string line = fmt::format("{} run{} added", runs, runs == 1 ? "" : "s");
  if (runs == 1) line += fmt::format(" as {}", added.runs.front());
  if (runs > 1) line += fmt::format(" as {} to {}", added.runs.front(), added.runs.back());
  if (added.already > 0) line += fmt::format(", {} already here", added.already);
  if (!added.continued.empty()) line += fmt::format(", the rest of {} added", fmt::join(added.continued, ", "));
  if (!added.unfinished.empty())
    line += fmt::format("; {} isn't finished: add it again later", fmt::join(added.unfinished, ", "));
  return line;
}

std::string frame_log_words(const FrameLog& log, const std::string& name) {
  std::string text = fmt::format("{}: {}\n", name, fmt::join(log.notes, "; "));
  if (log.broken == 0) return text;
  text += fmt::format("! {} of {} lines couldn't be read and {} left out:\n", log.broken, log.lines,
                      log.broken == 1 ? "is" : "are");
  for (const BrokenLine& one : log.first_broken) text += fmt::format("    line {}: {}\n", one.line, one.why);
  if (log.broken > log.first_broken.size())
    text += fmt::format("    and {} more\n", log.broken - log.first_broken.size());
  return text;
}

std::string frame_count_words(const LoggedFrames& run) {
  Nanoseconds length{};
  for (const FrameRecord& frame : run.frames) length += frame.interval;
  return fmt::format("{} frame{} in {:.1f} s{}", run.frames.size(), run.frames.size() == 1 ? "" : "s",
                     in_seconds(length), run.name.empty() ? "" : fmt::format(" ({})", run.name));
}

std::string stutter_words(const RunInsight& run) {
  const Stutters& s = run.stutters;
  if (s.frames.empty()) return "none";
  const auto worst = std::max_element(s.frames.begin(), s.frames.end(),
                                      [](const Stutter& a, const Stutter& b) { return a.length < b.length; });
  const auto several = [](std::size_t n, const char* what) {
    return fmt::format("{} {}{}", n, what, n == 1 ? "" : "s");
  };
  return fmt::format("{} in {}: {:.2f} s lost, {} of the time; the worst {} ms at {}",
                     several(s.frames.size(), "frame"),
                     s.hitches.size() == 1 ? "1 hitch" : fmt::format("{} hitches", s.hitches.size()),
                     in_seconds(s.lost), percent(in_seconds(s.lost) / in_seconds(run.summary.time)),
                     format_number(in_milliseconds(worst->length), 1), moment_words(worst->at - worst->length));
}

std::string mark_words(const RunInsight& run, std::size_t most) {
  std::vector<std::string> words;
  for (const RunMark& mark : run.marks) {
    if (words.size() < most) words.push_back(fmt::format("{} at {}", mark.about, moment_words(mark.at)));
  }
  if (run.marks.size() > most) words.push_back(fmt::format("and {} more", run.marks.size() - most));
  return fmt::format("{}", fmt::join(words, ", "));
}

std::string limit_words(const RunInsight& run) {
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

std::string heat_words(const RunInsight& run) {
  constexpr Named kParts[] = {
      {"gpu.temp", "GPU"}, {"gpu.hotspot.temp", "hotspot"}, {"gpu.memory.temp", "VRAM"}, {"cpu.temp", "processor"}};
  std::vector<std::string> parts;
  for (const auto& [id, name] : kParts) {
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

std::string clock_words(const RunInsight& run) {
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

std::string power_words(const RunInsight& run) {
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

std::string oddity_words(const HitchInsight& hitch, std::size_t most) {
  std::vector<std::string> odd;
  for (const Oddity& oddity : hitch.oddities) {
    if (odd.size() == most) break;
    odd.push_back(fmt::format("{} {} (usually {})", oddity.info.title, as_text(oddity.info, oddity.value),
                              as_text(oddity.info, oddity.usual)));
  }
  return fmt::format("{}", fmt::join(odd, ", "));
}

std::string change_words(const ReadingChange& change) {
  const ReadingInfo& info = change.info;
  const std::string name = in_sentence(info.title.empty() ? info.id : info.title), unit(symbol(info.unit));
  const auto with = [&](const std::string& number) { return unit.empty() ? number : number + " " + unit; };
  if (change.kind == ChangeKind::spread) {
    const int digits = digits_of(info) + 1;
    return fmt::format("{} varied {}: by {}, before by {}", name, change.after > change.before ? "more" : "less",
                       with(format_number(change.after, digits)), format_number(change.before, digits));
  }
  if (change.kind == ChangeKind::slope) {
    const auto pace = [&](double value) { return with(format_number(std::abs(value), digits_of(info) + 1)); };
    if (std::abs(change.after) < 0.2 * std::abs(change.before))
      return fmt::format("{} no longer {} by {} a minute", name, change.before > 0 ? "rose" : "fell",
                         pace(change.before));
    return fmt::format("{} began to {} by {} a minute", name, change.after > 0 ? "rise" : "fall", pace(change.after));
  }
  if (change.kind == ChangeKind::brief)
    return fmt::format("for {} s {} was {}, else {}", std::max<std::int64_t>(1, (change.until - change.at) / kSecond),
                       name, with(shown(info, change.after)), with(shown(info, change.before)));
  const std::string words = fmt::format("{} {} from {} to {}", name, change.after > change.before ? "rose" : "fell",
                                        shown(info, change.before), with(shown(info, change.after)));
  return change.kind == ChangeKind::trend ? words + " until " + second_words(change.until) : words;
}

namespace {

/// "3 s before", "2 s later", "at the same time".
std::string apart_words(Moment at, Moment lead) {
  const auto seconds = std::llround(in_seconds(at - lead));
  if (seconds == 0) return "at the same time";
  return fmt::format("{} s {}", std::abs(seconds), seconds < 0 ? "before" : "later");
}

std::vector<std::string> as_before_words(const ChangeEvent& event) {
  std::vector<std::string> names;
  for (const ReadingInfo& info : event.as_before)
    names.push_back(in_sentence(info.title.empty() ? info.id : info.title));
  return names;
}

}  // namespace

std::string event_words(const ChangeEvent& event, std::size_t most) {
  if (event.readings.empty()) return "";
  const ReadingChange& lead = event.readings.front();
  std::string text = fmt::format("At {} {}", second_words(lead.at), change_words(lead));
  // In order of time, those at the same moment together.
  std::vector<ReadingChange> others(
      event.readings.begin() + 1, event.readings.begin() + static_cast<std::ptrdiff_t>(std::min(
                                                               event.readings.size(), std::max<std::size_t>(most, 1))));
  std::stable_sort(others.begin(), others.end(),
                   [](const ReadingChange& a, const ReadingChange& b) { return a.at < b.at; });
  std::string last;
  for (const ReadingChange& one : others) {
    const std::string apart = apart_words(one.at, lead.at);
    text += apart == last ? ", " + change_words(one) : fmt::format("; {}, {}", apart, change_words(one));
    last = apart;
  }
  for (const TextChange& one : event.texts)
    text += fmt::format("; {}, {} changed from {} to {}", apart_words(one.at, lead.at), in_sentence(one.info.title),
                        one.before, one.after);
  const std::size_t more = event.readings.size() - 1 - others.size();
  if (more > 0) text += fmt::format("; and {} more", more);
  text += ".";
  auto names = as_before_words(event);
  constexpr std::size_t kAsBefore = 4;
  if (names.size() > kAsBefore) names.resize(kAsBefore);
  return names.empty() ? text : text + fmt::format(" As before: {}.", fmt::join(names, ", "));
}

std::string oddity_words(const OddStretch& odd) {
  const std::string name = in_sentence(odd.info.title.empty() ? odd.info.id : odd.info.title),
                    at = second_words(odd.at);
  const std::string value = as_text(odd.info, odd.value);
  const auto seconds = std::max<std::int64_t>(1, odd.length / kSecond);
  switch (odd.kind) {
    case OddKind::impossible:
      return fmt::format("At {} {} was {} for {} s, which can't be", at, name, value, seconds);
    case OddKind::stuck:
      return fmt::format("From {} {} stood still at {} for {} s: the sensor may be stuck", at, name, value, seconds);
    case OddKind::gap:
      return fmt::format("From {} to {} there are no values of {}{}", at, second_words(odd.at + odd.length), name,
                         odd.others == 0 ? "" : fmt::format(" and {} other{}", odd.others, odd.others == 1 ? "" : "s"));
    case OddKind::spike:
      break;
  }
  return fmt::format("At {} {} was {} for {} s, usually {}", at, name, value, seconds, as_text(odd.info, odd.usual));
}

std::string in_sentence(const std::string& title) {
  const bool is_word = title.size() > 1 && std::islower(static_cast<unsigned char>(title[1])) != 0;
  return is_word ? lower_case(title.substr(0, 1)) + title.substr(1) : title;
}

std::string mean_words(const ComparedFigure& figure, const ComparedGroup& group) {
  if (!group.mean) return "–";
  const std::string mean = shown(figure.info, *group.mean);
  if (!group.spread) return mean;
  return fmt::format("{} ± {}", mean,
                     figure.scale == Scale::ratio ? format_number(100 * *group.spread, 1) + " %"
                                                  : shown(figure.info, *group.spread, 1));
}

std::string amount_words(const ReadingInfo& info, const Difference& difference, double value) {
  return difference.scale == Scale::ratio ? change(value) : (value > 0 ? "+" : "") + shown(info, value, 1);
}

std::string interval_words(const ReadingInfo& info, const Difference& difference) {
  if (!difference.low) return "";
  return fmt::format("{} to {}", amount_words(info, difference, *difference.low),
                     amount_words(info, difference, *difference.high));
}

std::string verdict_words(const ReadingInfo& info, const Difference& difference) {
  const bool is_rate = info.unit == Unit::frames_per_second;
  if (difference.verdict == Verdict::higher && is_rate) return "faster";
  if (difference.verdict == Verdict::lower && is_rate) return "slower";
  std::string text(name_of(difference.verdict));
  if (difference.verdict == Verdict::too_few && difference.runs_needed)
    text += fmt::format("; about {} in each group would do", *difference.runs_needed);
  return text;
}

std::vector<std::string> comparison_sentences(const Comparison& comparison) {
  std::vector<std::string> sentences;
  if (comparison.figures.empty()) return sentences;
  const ComparedFigure& figure = comparison.figures.front();
  for (std::size_t g = 0; g < figure.groups.size(); ++g) {
    const auto& difference = figure.groups[g].difference;
    if (!difference) continue;
    const std::string interval = interval_words(figure.info, *difference);
    sentences.push_back(fmt::format(
        "{} against {}: {} {}{}, {}", printable(comparison.names[g]), printable(comparison.names[comparison.base]),
        in_sentence(figure.info.title), amount_words(figure.info, *difference, difference->value),
        interval.empty() ? "" : " (" + interval + ")", verdict_words(figure.info, *difference)));
  }
  return sentences;
}

std::vector<std::string> odd_run_words(const Comparison& comparison) {
  std::vector<std::string> lines;
  for (const ComparedFigure& figure : comparison.figures) {
    std::vector<std::int64_t> odd;
    std::vector<std::string> without;
    for (std::size_t g = 0; g < figure.groups.size(); ++g) {
      const ComparedGroup& group = figure.groups[g];
      odd.insert(odd.end(), group.odd.begin(), group.odd.end());
      if (const auto& d = group.without_odd)
        without.push_back(fmt::format("{} {} ({}), {}", printable(comparison.names[g]),
                                      amount_words(figure.info, *d, d->value), interval_words(figure.info, *d),
                                      verdict_words(figure.info, *d)));
    }
    if (odd.empty()) continue;
    const bool one = odd.size() == 1;
    std::string line = fmt::format("run{} {}: the odd one{} out by {}, and counted", one ? "" : "s",
                                   fmt::join(odd, ", "), one ? "" : "s", in_sentence(figure.info.title));
    if (!without.empty()) line += fmt::format("; without {}: {}", one ? "it" : "them", fmt::join(without, "; "));
    lines.push_back(std::move(line));
  }
  return lines;
}

std::vector<std::string> doubt_words(const Comparison& comparison) {
  constexpr base::Word<DoubtRule> kShort[] = {{"without frames", DoubtRule::empty},
                                              {"of too few frames for a low", DoubtRule::few_frames},
                                              {"ended by a crash", DoubtRule::game_crashed},
                                              {"cut by the disk", DoubtRule::store_failed},
                                              {"with lost frames", DoubtRule::frames_lost},
                                              {"with loading in it", DoubtRule::loading},
                                              {"beside other programs", DoubtRule::other_load},
                                              {"not warmed up", DoubtRule::warming_up},
                                              {"whose picture changed its size", DoubtRule::size_changed}};
  std::vector<std::string> lines;
  for (const GroupDoubt& one : comparison.doubts) {
    const auto* const words =
        std::find_if(std::begin(kShort), std::end(kShort), [&](const auto& word) { return word.value == one.rule; });
    lines.push_back(fmt::format("{}: {} of {} run{} {} ({})", printable(comparison.names[one.group]), one.runs.size(),
                                one.of, one.of == 1 ? "" : "s",
                                words == std::end(kShort) ? name_of(one.rule) : words->word,
                                fmt::join(one.runs, ", ")));
  }
  return lines;
}

std::string kind_of_means(const Comparison& comparison) {
  const auto plain = std::count_if(comparison.figures.begin(), comparison.figures.end(),
                                   [](const ComparedFigure& one) { return one.scale == Scale::plain; });
  if (plain == 0) return "geometric means";
  return static_cast<std::size_t>(plain) == comparison.figures.size()
             ? "arithmetic means"
             : "geometric means (arithmetic ones of figures that can be 0)";
}

}  // namespace idlemeter
