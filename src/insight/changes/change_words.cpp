#include "idlemeter/insight/change_words.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "idlemeter/insight/words.hpp"
#include "idlemeter/readings/units.hpp"

namespace idlemeter {
namespace {

constexpr double kOfRange = 0.25, kOfLevel = 0.05;
constexpr std::size_t kReadingsOfOthers = 3, kOddReadings = 4, kOddTimes = 3, kAsBefore = 4;

/// Whether `before` and `after` are levels.
bool is_of_levels(const ReadingChange& change) {
  return change.kind != ChangeKind::slope && change.kind != ChangeKind::spread;
}

double share_of(const ReadingChange& change) {
  return std::abs(change.after - change.before) /
         std::max(1e-9, std::max(std::abs(change.before), std::abs(change.after)));
}

bool is_of_frames(const ReadingChange& change) { return change.info.kind == DeviceKind::frames; }

/// What people feel comes first: a level of the rate or the frame time.
double weight_of(const ReadingChange& change) {
  const bool is_felt = is_of_frames(change) && is_of_levels(change) && is_plain_to_see(change);
  return (is_felt ? 1 + share_of(change) : 0) + change.of_range - (is_plain_to_see(change) ? 0 : 10);
}

/// The one that says most of each device first, then the others, so that a few lines show all that took part.
void put_devices_first(std::vector<ReadingChange>& readings) {
  std::set<std::string> seen;
  std::stable_partition(readings.begin() + 1, readings.end(), [&](const ReadingChange& one) {
    return is_plain_to_see(one) && seen.insert(one.info.device).second;
  });
}

/// Everything changes while a game begins; what comes later says more.
double weight_of(const ChangeEvent& event) {
  constexpr Moment kSettled{60 * kSecond};
  const ReadingChange& lead = event.readings.front();
  return weight_of(lead) * (lead.at < kSettled && lead.kind != ChangeKind::trend ? 0.3 : 1) *
         (lead.kind == ChangeKind::slope ? 0.5 : 1);
}

/// The rate before the frame times, which say the same.
bool leads(const ReadingChange& a, const ReadingChange& b) {
  const auto is_rate = [](const ReadingChange& one) {
    return one.info.id == "frame.rate" && is_of_levels(one) && is_plain_to_see(one);
  };
  return is_rate(a) != is_rate(b) ? is_rate(a) : weight_of(a) > weight_of(b);
}

/// Whether one rises by what the other falls, as memory used and available do, or does the very same.
bool mirrors(const ReadingChange& a, const ReadingChange& b) {
  const double up = a.after - a.before, down = b.after - b.before;
  return a.kind == ChangeKind::level && b.kind == ChangeKind::level && a.info.unit == b.info.unit &&
         ((a.info.device == b.info.device && up * down < 0 && std::abs(up + down) < 0.02 * std::abs(up)) ||
          (a.before == b.before && a.after == b.after));
}

std::string name_of(const ReadingInfo& info) { return in_sentence(info.title.empty() ? info.id : info.title); }

/// "14653 → 16589 MiB"
std::string from_to(const ReadingChange& change) {
  const int digits = digits_of(change.info) + (is_of_levels(change) ? 0 : 1);
  const std::string_view unit = symbol(change.info.unit);
  const std::string numbers = fmt::format("{} → {}{}{}", format_number(change.before, digits),
                                          format_number(change.after, digits), unit.empty() ? "" : " ", unit);
  return change.kind == ChangeKind::spread ? "varies by " + numbers : numbers;
}

std::string lead_words(const ReadingChange& change) {
  std::string words = change_words(change);
  // A share of degrees means nothing.
  if (is_of_levels(change) && change.kind != ChangeKind::brief && change.info.unit != Unit::celsius &&
      std::abs(change.before) > 0 && share_of(change) >= 0.01)
    words += fmt::format(" ({:.0f} % {})", 100 * std::abs(change.after - change.before) / std::abs(change.before),
                         change.after > change.before ? "more" : "less");
  return words;
}

/// What a line beside the leading one says.
std::string beside_words(const ReadingChange& change) {
  if (change.kind == ChangeKind::level || change.kind == ChangeKind::spread)
    return name_of(change.info) + "  " + from_to(change);
  return change_words(change);
}

std::string event_text(const ChangeEvent& event, const ChangeTextOptions& how) {
  const ReadingChange& lead = event.readings.front();
  std::string text = fmt::format("  {:>7}  {}\n", second_words(lead.at), lead_words(lead));
  const auto line = [&](const std::string& words) { text += fmt::format("             {}\n", words); };
  std::size_t hidden = 0;
  for (std::size_t i = 1; i < event.readings.size(); ++i) {
    const ReadingChange& one = event.readings[i];
    if (!how.all && (i > how.readings || !is_plain_to_see(one))) {
      ++hidden;
      continue;
    }
    line(fmt::format("{}  {}", second_words(one.at), beside_words(one)));
  }
  for (const TextChange& one : event.texts)
    line(fmt::format("{}  {}  {} → {}", second_words(one.at), name_of(one.info), one.before, one.after));
  if (hidden > 0) line(fmt::format("and {} more", hidden));
  std::vector<std::string> same;
  for (const ReadingInfo& info : event.as_before) {
    if (same.size() < kAsBefore) same.push_back(name_of(info));
  }
  if (!same.empty()) line(fmt::format("as before: {}", fmt::join(same, ", ")));
  return text;
}

/// "game's page faults from disk per second: 17 times, up to 1200, usually 0 (at 0:44, 3:39, 6:50 …)"
std::string spikes_text(const std::vector<const OddStretch*>& spikes) {
  const OddStretch& first = *spikes.front();
  if (spikes.size() == 1) return oddity_words(first);
  std::vector<Moment> moments;
  const OddStretch* farthest = &first;
  for (const OddStretch* one : spikes) {
    moments.push_back(one->at);
    if (one->spreads > farthest->spreads) farthest = one;
  }
  std::sort(moments.begin(), moments.end());
  std::vector<std::string> times;
  for (std::size_t i = 0; i < std::min(kOddTimes, moments.size()); ++i) times.push_back(second_words(moments[i]));
  return fmt::format("{}: {} times far from usual, as {} instead of {} (at {}{})", name_of(first.info), spikes.size(),
                     format_value(first.info, farthest->value), format_value(first.info, first.usual),
                     fmt::join(times, ", "), moments.size() > kOddTimes ? " …" : "");
}

std::string odd_list(const std::vector<std::string>& lines, std::size_t most) {
  if (lines.empty()) return "";
  std::string text = "Odd:\n";
  for (std::size_t i = 0; i < std::min(most, lines.size()); ++i) text += fmt::format("  {}\n", lines[i]);
  if (most < lines.size()) text += fmt::format("  and {} more\n", lines.size() - most);
  return text;
}

std::string odd_text(const std::vector<OddStretch>& oddities, bool all) {
  std::vector<std::string> lines;
  std::map<std::string, std::vector<const OddStretch*>> spikes;
  std::vector<std::string> order;
  for (const OddStretch& odd : oddities) {
    if (odd.kind != OddKind::spike) {
      lines.push_back(oddity_words(odd));
      continue;
    }
    if (!spikes.contains(odd.info.id)) order.push_back(odd.info.id);
    spikes[odd.info.id].push_back(&odd);
  }
  for (const std::string& id : order) lines.push_back(spikes_text(spikes[id]));
  return odd_list(lines, all ? lines.size() : kOddReadings);
}

}  // namespace

bool is_plain_to_see(const ReadingChange& change) {
  return change.of_range >= kOfRange && (!is_of_levels(change) || share_of(change) >= kOfLevel);
}

namespace {

std::vector<ReadingChange> without_mirrors(std::vector<ReadingChange> changes) {
  std::vector<ReadingChange> kept;
  for (ReadingChange& one : changes) {
    const bool is_mirror =
        std::any_of(kept.begin(), kept.end(), [&](const auto& other) { return mirrors(one, other); });
    if (!is_mirror) kept.push_back(std::move(one));
  }
  return kept;
}

}  // namespace

std::vector<ChangeEvent> foremost_events(const Changes& changes, bool all) {
  std::vector<ChangeEvent> events;
  for (ChangeEvent event : changes.events) {
    std::stable_sort(event.readings.begin(), event.readings.end(), &leads);
    event.readings = without_mirrors(std::move(event.readings));
    put_devices_first(event.readings);
    if (all || is_plain_to_see(event.readings.front())) events.push_back(std::move(event));
  }
  std::stable_sort(events.begin(), events.end(),
                   [](const ChangeEvent& a, const ChangeEvent& b) { return weight_of(a) > weight_of(b); });
  return events;
}

std::string changes_text(const Changes& changes, const ChangeTextOptions& how) {
  const std::vector<ChangeEvent> events = foremost_events(changes, how.all);
  const std::size_t most = how.all ? events.size() : std::min(events.size(), how.events);
  std::string text;
  for (std::size_t i = 0; i < most; ++i) {
    ChangeTextOptions its = how;
    if (i > 0) its.readings = std::min(how.readings, kReadingsOfOthers);
    text += event_text(events[i], its) + "\n";
  }
  if (most > 0) text += "What happened at the same time isn't thereby the cause.\n";
  if (const std::size_t hidden = changes.events.size() - most; hidden > 0)
    text += fmt::format("{} smaller change{} hidden.\n", hidden, hidden == 1 ? "" : "s");
  const std::string odd = odd_text(changes.oddities, how.all);
  return text + (text.empty() || odd.empty() ? "" : "\n") + odd;
}

}  // namespace idlemeter
