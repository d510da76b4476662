// Idle Meter: what a recorded run says, and how far it can be trusted.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/frames/limit.hpp"
#include "idlemeter/frames/stutter.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/series_summary.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {

/// One reading over a run, in its unit.
struct ReadingInsight {
  ReadingInfo info;
  SeriesSummary all;
  std::optional<double> first, last;  ///< means of the run's edges, see RunInsight::edge
  std::optional<double> over;         ///< share of the samples at or above the limit, 0 to 1; empty: it has no limit
};

/// A reading that was unusual at a moment: evidence, not a cause.
struct Oddity {
  ReadingInfo info;
  double value = 0;    ///< at that moment, the farthest from usual
  double usual = 0;    ///< the run's median
  double spreads = 0;  ///< how far it is from usual in the run's own noise (1.4826 * median absolute deviation)
  double often = 0;    ///< share of the samples apart from hitches that are at least half as far; at most 0.01
};

struct HitchInsight {
  Hitch hitch;
  std::vector<Oddity> oddities;  ///< those that are seldom unusual first, then the farthest
};

/// A moment that the player marked.
struct RunMark {
  Moment at{};
  std::string about;  ///< "2: boss fight": its number, and a text if there is one
};

/// The marks in a run's readings, in order of time.
[[nodiscard]] std::vector<RunMark> marks_in(const std::vector<RunSeries>& readings);

/// What makes figures doubtful; docs/statistics.md has the conditions.
enum class DoubtRule : std::uint8_t {
  empty,
  too_short,
  few_frames,
  unfinished,
  game_crashed,
  store_failed,
  frames_lost,
  loading,
  capped,
  other_load,
  warming_up,
  throttled,
  size_changed
};

/// As files and JSON have it: "short", "few-frames", "game-crashed" …
[[nodiscard]] std::string_view name_of(DoubtRule rule);

/// Why the figures should be read with care.
struct Doubt {
  DoubtRule rule = DoubtRule::empty;
  std::string text = {};  ///< a sentence with its figures
};

struct InsightOptions {
  SummaryRequest figures = {};
  StutterRule stutter = {};
  bool leave_out_loading = false;           ///< frames over a second are in no figure
  std::map<std::string, double> limits = {  ///< by id, in the reading's unit: for ReadingInsight::over
      {"gpu.temp", 85},
      {"gpu.hotspot.temp", 95},
      {"gpu.memory.temp", 95},
      {"cpu.temp", 90}};
  std::size_t hitches = 5;                                ///< how many of the worst hitches to examine for oddities
  std::optional<std::vector<std::string>> readings = {};  ///< only these, by id; empty: all
};

/// A frame over a second: a loading screen, as a rule.
[[nodiscard]] constexpr bool is_loading(Nanoseconds interval) {
  return interval > kSecond && interval <= kLongestFrame;
}

struct RunInsight {
  RunInfo info;
  Summary summary;
  Moment longest_at{};  ///< when the longest frame began, as hitches do
  Stutters stutters;
  Limits limits;
  bool limits_by_gpu_times = false;      ///< else by the GPU's load, which is weaker evidence
  std::vector<ReadingInsight> readings;  ///< with numbers, but for the statistics of frames; in the run's order
  Nanoseconds edge{};                    ///< what first and last cover: a minute, or a third of a shorter run
  std::optional<double> frames_per_joule_graphics, frames_per_joule_processor, frames_per_joule_both;
  std::vector<HitchInsight> hitches;  ///< those with the longest frame first
  std::vector<RunMark> marks;         ///< that the player set, in order
  std::vector<Doubt> doubts;
  std::uint64_t loading_frames = 0;  ///< over a second
  bool loading_left_out = false;     ///< whether they are in no figure

  /// nullptr if the run doesn't have the reading.
  [[nodiscard]] const ReadingInsight* reading(std::string_view id) const;
};

/// Reads a run and works out everything above. O(frames + samples * readings). Throws Error as the store does, and
/// Error as summarize() does.
[[nodiscard]] RunInsight insight_of(const Store& store, std::int64_t run, const InsightOptions& options = {});

/// Insights of several runs. With `hitches` 0, results of finished runs are cached in the store if it is writable;
/// later calls then cost O(readings) a run. docs/store.md says when a cached result is recomputed.
[[nodiscard]] std::vector<RunInsight> insights_of(const Store& store, std::span<const std::int64_t> runs,
                                                  const InsightOptions& options = {});

/// The same for runs that Store::runs() listed, removed ones too. None may be damaged.
[[nodiscard]] std::vector<RunInsight> insights_of_list(const Store& store, std::vector<RunInfo> runs,
                                                       const InsightOptions& options = {});

}  // namespace idlemeter
