// Insights of many runs, worked out once and kept.
#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <unordered_map>

#include "idlemeter/insight/run_insight.hpp"
#include "insight/run/insight_bytes.hpp"
#include "insight/run/work_out.hpp"
#include "runs/store/kept_results.hpp"

namespace idlemeter {
namespace {

/// Of everything that insight_of() works out, and of insight_bytes. A change of either gives it a new number: what
/// stores have kept is computed again then. Insights.AreWorkedOutByThisDefinition fails if that was forgotten.
constexpr std::int64_t kDefinition = 2;

bool has(const auto& all, const auto& one) { return std::find(all.begin(), all.end(), one) != all.end(); }

bool is_part_of(const SummaryRequest& part, const SummaryRequest& all) {
  const auto holds = [](const auto& these, const auto& those) {
    return std::all_of(these.begin(), these.end(), [&](const auto& one) { return has(those, one); });
  };
  return holds(part.lows, all.lows) && holds(part.definitions, all.definitions) &&
         holds(part.percentiles, all.percentiles);
}

/// Everything that insight_of() goes by, but for the readings, which are all kept.
std::string question_of(const InsightOptions& options) {
  std::vector<std::uint32_t> lows;
  for (const Share share : options.figures.lows) lows.push_back(share.ppm);
  std::vector<int> definitions;
  for (const LowDefinition definition : options.figures.definitions)
    definitions.push_back(static_cast<int>(definition));
  const StutterRule& rule = options.stutter;
  std::string limits;
  for (const auto& [id, limit] : options.limits) limits += fmt::format(" {} {}", id, limit);
  return fmt::format("lows {} {} percentiles {} stutters {} {} {} {} loading {} limits{}", lows, definitions,
                     options.figures.percentiles, rule.factor, rule.excess.count(), rule.window.count(),
                     rule.together.count(), options.leave_out_loading ? 1 : 0, limits);
}

std::vector<Low> chosen_lows(const Summary& summary, const SummaryRequest& request) {
  std::vector<Low> lows;
  for (const Share share : request.lows) {
    for (const LowDefinition definition : request.definitions) {
      if (const Low* low = summary.low(share, definition)) lows.push_back(*low);
    }
  }
  return lows;
}

std::vector<Percentile> chosen_percentiles(const Summary& summary, const SummaryRequest& request) {
  std::vector<Percentile> percentiles;
  for (const double q : request.percentiles) {
    const auto found = std::find_if(summary.percentiles.begin(), summary.percentiles.end(),
                                    [q](const Percentile& one) { return one.q == q; });
    if (found != summary.percentiles.end()) percentiles.push_back(*found);
  }
  return percentiles;
}

/// The lows and percentiles that were asked for, in the order of the request, as summarize() gives them.
void choose_figures(Summary& summary, const SummaryRequest& request) {
  if (summary.frames == 0) return;
  summary.lows = chosen_lows(summary, request);
  summary.percentiles = chosen_percentiles(summary, request);
}

/// The details of runs; of many, all of the store's are read at once.
std::vector<RunInfo> details_of(const Store& store, std::span<const std::int64_t> runs) {
  constexpr std::size_t kMany = 20;
  std::unordered_map<std::int64_t, RunInfo> all;
  if (runs.size() >= kMany) {
    for (RunInfo& run : store.runs()) {
      if (run.problem.empty()) all.emplace(run.id, std::move(run));
    }
  }
  std::vector<RunInfo> details;
  for (const std::int64_t run : runs) {
    const auto found = all.find(run);
    details.push_back(found == all.end() ? store.run(run) : found->second);
  }
  return details;
}

}  // namespace

std::vector<RunInsight> insights_of(const Store& store, std::span<const std::int64_t> runs,
                                    const InsightOptions& options) {
  return insights_of_list(store, details_of(store, runs), options);
}

std::vector<RunInsight> insights_of_list(const Store& store, std::vector<RunInfo> runs, const InsightOptions& options) {
  std::vector<RunInsight> all;
  all.reserve(runs.size());
  if (options.hitches > 0) {  // they aren't kept
    for (RunInfo& run : runs) all.push_back(insight::work_out(store, std::move(run), options));
    return all;
  }
  InsightOptions wide = options;  // answers the usual questions with one result
  if (is_part_of(options.figures, SummaryRequest{})) wide.figures = {};
  wide.readings.reset();
  runs::KeptResults kept(store, question_of(wide), kDefinition);
  for (RunInfo& run : runs) {
    const auto bytes = kept.find(run);
    auto insight = bytes ? insight::insight_from(*bytes, options.readings) : std::nullopt;
    if (!insight) {
      insight = insight::work_out(store, run, wide);
      kept.keep(run, insight::bytes_of(*insight));
      insight::choose_readings(insight->readings, options.readings);
    }
    insight->info = std::move(run);
    choose_figures(insight->summary, options.figures);
    all.push_back(std::move(*insight));
  }
  return all;
}

}  // namespace idlemeter
