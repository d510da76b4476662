#include "insight/run/doubts.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>
#include <set>
#include <span>
#include <string>
#include <string_view>

#include "base/enum_names.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/units.hpp"
#include "insight/run/find_series.hpp"

namespace idlemeter {
namespace {

constexpr base::Word<DoubtRule> kRuleNames[] = {{"empty", DoubtRule::empty},
                                                {"short", DoubtRule::too_short},
                                                {"few-frames", DoubtRule::few_frames},
                                                {"unfinished", DoubtRule::unfinished},
                                                {"game-crashed", DoubtRule::game_crashed},
                                                {"store-failed", DoubtRule::store_failed},
                                                {"frames-lost", DoubtRule::frames_lost},
                                                {"loading", DoubtRule::loading},
                                                {"capped", DoubtRule::capped},
                                                {"other-load", DoubtRule::other_load},
                                                {"warming-up", DoubtRule::warming_up},
                                                {"throttled", DoubtRule::throttled},
                                                {"size-changed", DoubtRule::size_changed}};

}  // namespace

std::string_view name_of(DoubtRule rule) { return base::word_of(rule, kRuleNames); }

namespace insight {
namespace {

using Found = std::optional<Doubt>;

constexpr double kShort = 30;        // seconds
constexpr double kOtherLoad = 15;    // percent of the processor
constexpr double kCapped = 0.5;      // share of the run
constexpr double kWarmer = 3;        // °C from the first quarter of the run to the last
constexpr double kSlower = 0.02;     // of the clock, likewise
constexpr double kThrottled = 0.02;  // share of the samples

Found unfinished(const RunInsight& insight) {
  if (insight.info.finished) return std::nullopt;
  return Doubt{DoubtRule::unfinished, "its recording wasn't ended: the meter was killed, or is still at it"};
}

Found is_empty(const RunInsight& insight) {
  if (insight.summary.frames > 0 || is_log(insight.info)) return std::nullopt;
  return Doubt{DoubtRule::empty, "no frame was seen while it was recorded"};
}

Found ended_early(const RunInsight& insight) {
  if (insight.info.end == RunEnd::game_crashed)
    return Doubt{DoubtRule::game_crashed, "the game crashed or was killed at its end"};
  if (insight.info.end == RunEnd::store_failed)
    return Doubt{DoubtRule::store_failed, "the store took no more before its end: the rest is missing"};
  return std::nullopt;
}

Found frames_lost(const RunInsight& insight) {
  if (insight.info.lost == 0) return std::nullopt;
  return Doubt{DoubtRule::frames_lost,
               fmt::format("{} frame{} couldn't be recorded: the meter came too late for {}", insight.info.lost,
                           insight.info.lost == 1 ? "" : "s", insight.info.lost == 1 ? "it" : "them")};
}

Found is_short(const RunInsight& insight) {
  const double seconds = in_seconds(insight.summary.time);
  if (seconds >= kShort || insight.summary.frames == 0) return std::nullopt;
  return Doubt{DoubtRule::too_short,
               fmt::format("{:.1f} s is short: figures are steadier from {:.0f} s on", seconds, kShort)};
}

Found few_frames(const RunInsight& insight) {
  for (const Low& low : insight.summary.lows) {
    if (low.enough_frames || insight.summary.frames == 0) continue;
    return Doubt{DoubtRule::few_frames,
                 fmt::format("{} frames are too few for a {} low", insight.summary.frames, to_string(low.share))};
  }
  return std::nullopt;
}

Found loading(const RunInsight& insight) {
  if (insight.loading_frames == 0 || insight.loading_left_out) return std::nullopt;
  const bool one = insight.loading_frames == 1;
  return Doubt{DoubtRule::loading,
               fmt::format("{} frame{} took over a second: {}loading screen{}?", insight.loading_frames, one ? "" : "s",
                           one ? "a " : "", one ? "" : "s")};
}

Found capped(const RunInsight& insight) {
  const double share = insight.limits.share(Limit::cap);
  if (share < kCapped) return std::nullopt;
  return Doubt{DoubtRule::capped,
               fmt::format("the frame rate was capped for {:.0f} % of the run: it shows the cap, not what "
                           "the machine can do",
                           100 * share)};
}

Found other_load(const RunInsight& insight) {
  const auto mean = [&](const char* id) {
    const ReadingInsight* reading = insight.reading(id);
    return reading == nullptr ? std::nullopt : std::optional(reading->all.mean);
  };
  const auto others = mean("cpu.others.load"), all = mean("cpu.load"), game = mean("game.cpu.load");
  const double other = others ? *others : all && game ? *all - *game : 0;  // older runs have but the two
  if (other < kOtherLoad) return std::nullopt;
  return Doubt{DoubtRule::other_load, fmt::format("other programs used {:.0f} % of the processor", other)};
}

/// The means of a reading in the four quarters of the run.
using Quarters = std::array<double, 4>;

std::optional<Quarters> quarters_of(const RunSeries& series, Nanoseconds length) {
  Quarters sums{};
  std::array<std::size_t, 4> counts{};
  for (std::size_t i = 0; i < series.at.size() && length > Nanoseconds{}; ++i) {
    const auto value = number(series.values[i]);
    if (!value) continue;
    const double along = in_seconds(series.at[i].time_since_epoch()) / in_seconds(length);
    const auto quarter = static_cast<std::size_t>(std::clamp(4 * along, 0.0, 3.0));
    sums[quarter] += *value;
    ++counts[quarter];
  }
  for (std::size_t i = 0; i < sums.size(); ++i) {
    if (counts[i] == 0) return std::nullopt;
    sums[i] /= static_cast<double>(counts[i]);
  }
  return sums;
}

// Of each, the first that the run has.
constexpr std::string_view kClocks[] = {"gpu.clock", "cpu.clock"};

/// The first of these readings that the run has.
const RunSeries* first_of(const std::vector<RunSeries>& all, std::span<const std::string_view> ids) {
  for (const std::string_view id : ids) {
    if (const RunSeries* found = find_series(all, id)) return found;
  }
  return nullptr;
}

/// "GPU temperature rose from 52 to 68 °C" if it went that way from quarter to quarter, by `least` in all. A scene that
/// is heavier than the one before goes up and down again; a machine that warms up goes one way.
std::string trend(const RunSeries* series, Nanoseconds length, double least, bool up) {
  const auto quarters = series == nullptr ? std::nullopt : quarters_of(*series, length);
  if (!quarters) return "";
  const auto& q = *quarters;
  const bool one_way = up ? std::is_sorted(q.begin(), q.end()) : std::is_sorted(q.rbegin(), q.rend());
  if (!one_way || std::abs(q.back() - q.front()) < least) return "";
  return fmt::format("{} {} from {:.0f} to {:.0f} {}", series->info.title, up ? "rose" : "fell", q.front(), q.back(),
                     symbol(series->info.unit));
}

Found warming_up(const RunInsight& insight, const std::vector<RunSeries>& all) {
  const Nanoseconds length = insight.info.length;
  const RunSeries* clock = first_of(all, kClocks);
  const auto quarters = clock == nullptr ? std::nullopt : quarters_of(*clock, length);
  const std::string slower = trend(clock, length, quarters ? kSlower * quarters->front() : 0, false);
  const std::string warmer = trend(first_of(all, kTemperatures), length, kWarmer, true);
  if (slower.empty() && warmer.empty()) return std::nullopt;
  return Doubt{DoubtRule::warming_up, fmt::format("not warmed up: from its first to its last quarter {}{}{}", warmer,
                                                  warmer.empty() || slower.empty() ? "" : ", ", slower)};
}

struct Throttling {
  std::set<std::string> reasons;
  Nanoseconds time{};
};

Throttling throttling_of(const RunSeries& series, Nanoseconds length) {
  Throttling found;
  for (std::size_t i = 0; i < series.values.size(); ++i) {  // texts are kept where they change
    const auto* reason = std::get_if<std::string>(&series.values[i]);
    if (reason == nullptr || *reason == "none" || *reason == "power") continue;
    const Moment until = i + 1 < series.at.size() ? series.at[i + 1] : Moment{length};
    found.time += std::max(Nanoseconds{}, until - series.at[i]);
    found.reasons.insert(*reason);
  }
  return found;
}

/// Readings named "….throttle" give the reason for a lower clock as text, "none" for none. A card at its power limit
/// does what it was made for.
Found throttled(const std::vector<RunSeries>& all, const RunInsight& insight) {
  std::string text;
  for (const RunSeries& series : all) {
    if (!series.info.id.ends_with(".throttle") || !series.info.text) continue;
    const auto [reasons, time] = throttling_of(series, insight.info.length);
    const double share = insight.info.length > Nanoseconds{} ? in_seconds(time) / in_seconds(insight.info.length) : 0;
    if (share < kThrottled) continue;
    text += fmt::format("{}{} throttled for {:.0f} % of the run ({})", text.empty() ? "" : "; ", series.info.device,
                        100 * share, fmt::join(reasons, ", "));
  }
  return text.empty() ? std::nullopt : Found(Doubt{DoubtRule::throttled, text});
}

Found size_changed(const std::vector<RunSeries>& all) {
  for (const RunSeries& series : all) {
    if (series.info.id != "game.picture") continue;
    std::vector<std::string> sizes;
    for (const Value& value : series.values) {
      const auto* size = std::get_if<std::string>(&value);
      if (size != nullptr && (sizes.empty() || sizes.back() != *size)) sizes.push_back(*size);
    }
    if (sizes.size() > 1)
      return Doubt{DoubtRule::size_changed, fmt::format("the picture's size changed: {}", fmt::join(sizes, ", then "))};
  }
  return std::nullopt;
}

}  // namespace

bool are_doubts_in(const ReadingInfo& info) {
  const auto is_it = [&](std::string_view id) { return info.id == id; };
  return info.text || std::any_of(std::begin(kClocks), std::end(kClocks), is_it) ||
         std::any_of(std::begin(kTemperatures), std::end(kTemperatures), is_it);
}

std::vector<Doubt> doubts_about(const RunInsight& insight, const std::vector<RunSeries>& all) {
  std::vector<Doubt> doubts;
  for (Found found : {unfinished(insight), is_empty(insight), ended_early(insight), frames_lost(insight),
                      is_short(insight), few_frames(insight), loading(insight), capped(insight),
                      throttled(all, insight), warming_up(insight, all), other_load(insight), size_changed(all)}) {
    if (found) doubts.push_back(std::move(*found));
  }
  return doubts;
}

}  // namespace insight
}  // namespace idlemeter
