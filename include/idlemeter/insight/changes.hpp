// Idle Meter: what changed during a run or a log, and what changed together with it.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/insight/second_series.hpp"
#include "idlemeter/insight/stretches.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {

/// How something changed.
enum class ChangeKind : std::uint8_t {
  level,   ///< it is higher or lower
  slope,   ///< it began or ceased to rise or fall
  spread,  ///< it varies more or less
  trend,   ///< it rises or falls over minutes, from `at` until `until`
  brief    ///< it is higher or lower from `at` until `until`, for less than half a minute, and then as before
};

/// "level", "slope", "spread", "trend", "brief"
[[nodiscard]] std::string_view name_of(ChangeKind kind);

/// One reading at one change.
struct ReadingChange {
  ReadingInfo info;
  ChangeKind kind = ChangeKind::level;
  Moment at{};
  double before = 0, after = 0;  ///< levels, of a trend at its ends; of a slope, per minute; of a spread, standard
                                 ///< deviations; of a brief change, `after` is the level meanwhile
  double spreads = 0;            ///< how far apart these are, in the reading's own noise; of a slope,
                                 ///< how far it led; of a spread, their ratio
  double of_range = 0;           ///< how far, as a share of what the reading went through (1st to 99th percentile)
  Moment until{};                ///< of a trend and of a brief change
};

/// A text reading that changed: the reasons for a lower clock, the picture's size, a mark.
struct TextChange {
  ReadingInfo info;
  Moment at{};
  std::string before = {}, after = {};
};

/// Changes within seconds of each other: at the same time, which isn't to say that one is another's cause.
struct ChangeEvent {
  Moment at{};                               ///< of the first reading
  std::vector<ReadingChange> readings = {};  ///< the frame rate or frame time first, if it changed; then the farthest
  std::vector<TextChange> texts = {};
  std::vector<ReadingInfo> as_before = {};  ///< of what is often looked at, what didn't change
};

/// What is odd about a single reading.
enum class OddKind : std::uint8_t {
  spike,       ///< a few seconds far from the rest
  stuck,       ///< it stood still for long, which it usually doesn't
  impossible,  ///< an impossible value: a load of 150 %, a temperature of 3,000 °C
  gap          ///< it has no values for more than ten seconds
};

/// "spike", "stuck", "impossible", "gap"
[[nodiscard]] std::string_view name_of(OddKind kind);

struct OddStretch {
  ReadingInfo info;
  OddKind kind = OddKind::spike;
  Moment at{};
  Nanoseconds length{};
  double value = 0;        ///< the farthest
  double usual = 0;        ///< the median around it
  double spreads = 0;      ///< in the reading's own noise; 0 if it isn't a spike
  std::size_t others = 0;  ///< readings that have the same gap
};

struct ChangeRules {
  StretchRules stretches = {};
  double least_spreads = 1.5;           ///< smaller changes aren't reported
  double least_share = 0.02;            ///< nor one by a smaller share of the level
  Nanoseconds together = 12 * kSecond;  ///< changes no farther from the first are at the same time
  double spike = 10;                    ///< spreads
  Nanoseconds longest_brief = 24 * kSecond;
  Nanoseconds longest_spike = 3 * kSecond;
  Nanoseconds stuck = std::chrono::minutes(2);
  Nanoseconds shortest_trend = std::chrono::minutes(2);
  double trend_errors = 6;  ///< standard errors that a trend leads at least
};

struct Changes {
  std::vector<ChangeEvent> events;   ///< in order of time
  std::vector<OddStretch> oddities;  ///< the most telling first
};

/// Finds, for each series, where its level, slope or spread changed, and puts together what changed at the same time,
/// with the texts among `texts` that did. O(series * seconds), on all cores. Throws Error as
/// stretches_of() does.
[[nodiscard]] Changes find_changes(const std::vector<SecondSeries>& series, const std::vector<RunSeries>& texts = {},
                                   const ChangeRules& rules = {});

/// The same of a run in a store. Throws Error as the store does.
[[nodiscard]] Changes find_changes(const Store& store, std::int64_t run, const ChangeRules& rules = {});

}  // namespace idlemeter
