// Idle Meter: chosen figures of a run, by their ids.
#pragma once

#include <array>
#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "idlemeter/frames/frame_statistic.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/insight/run_insight.hpp"
#include "idlemeter/readings/reading.hpp"

namespace idlemeter {

/// One figure of a run.
struct RunFigure {
  ReadingInfo info;                  ///< the id as it was asked for, title, brief and unit
  std::optional<double> value = {};  ///< in the unit; empty if the run doesn't have it
  bool is_uncertain = false;         ///< a low or percentile of too few frames
};

/// What a comparison is about if nothing else is said, as ids of a FigureSet.
inline constexpr std::array<std::string_view, 5> kUsualFigures = {"frame.average", "frame.low@1%", "frame.low@0.1%",
                                                                  "frame.median", "stutter.lost"};

/// Figures by ids:
///
///     frame.average, frame.low@1%@percentile …     statistics of the run's frames, see FrameStatistic; without a span
///     stutter.count, stutter.lost, stutter.share   see Stutters: frames, seconds, percent of the time
///     gpu.power, gpu.temp most, gpu.clock least    a reading's mean, its highest and its lowest value
class FigureSet {
 public:
  /// Throws Error naming the first id that isn't a figure.
  explicit FigureSet(const std::vector<std::string>& ids);

  /// A saved set by its name, or ids separated by commas. Throws Error if it is neither.
  [[nodiscard]] static FigureSet named(const std::string& choice,
                                       const std::map<std::string, std::vector<std::string>>& saved);

  /// What insight_of() has to compute for them.
  [[nodiscard]] SummaryRequest request() const;

  /// The ids of the readings among them.
  [[nodiscard]] std::vector<std::string> readings() const;

  /// In the order of the ids.
  [[nodiscard]] std::vector<RunFigure> of(const RunInsight& run) const;

  /// Of each run. A reading that one of them lacks is called as in the others.
  [[nodiscard]] std::vector<std::vector<RunFigure>> of(const std::vector<RunInsight>& runs) const;

 private:
  enum class Take : std::uint8_t { mean, least, most };

  struct One {
    std::string id;  ///< as it was asked for
    std::optional<FrameStatistic> statistic = {};
    std::string reading = {};  ///< of a reading
    Take take = Take::mean;
  };

  static One read(const std::string& id);
  static RunFigure figure(const One& one, const RunInsight& run);

  std::vector<One> all_;
};

}  // namespace idlemeter
