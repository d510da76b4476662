// Idle Meter: readings and frame times in the texts that monitoring systems read.
#pragma once

#include <map>
#include <set>
#include <string>
#include <string_view>
#include <utility>

#include "idlemeter/frames/frame_histogram.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter {

/// Frame times by game. They only grow, as counters have to.
class GameFrames {
 public:
  /// `now`: all of a game's frames so far, as `from` (a meter and its game's process) counts them. If the count drops,
  /// the game restarted.
  void take(const std::string& from, const std::string& game, const FrameHistogram& now);

  /// Forgets what is only needed while `from` runs, for all but these.
  void keep_only(const std::set<std::string>& running);

  /// At most 32 games; frames of all others count as "other".
  [[nodiscard]] const std::map<std::string, FrameHistogram, std::less<>>& all() const { return all_; }

 private:
  std::map<std::string, FrameHistogram, std::less<>> all_;
  std::map<std::string, FrameHistogram, std::less<>> last_;
};

enum class MetricsFormat {
  prometheus,   ///< "text/plain; version=0.0.4"
  open_metrics  ///< OpenMetrics 1.0
};

[[nodiscard]] std::string_view content_type(MetricsFormat format);

/// Every number of the snapshot but those about frames and clocks, as a gauge in a base unit, its name made of the kind
/// of device, the quantity and the unit: idlemeter_graphics_hotspot_temperature_celsius, with the labels `reading` (its
/// id) and `device`. Reasons for a lower clock as idlemeter_throttled, 1 or 0; the machine's names as
/// idlemeter_machine_info; frame times as the histogram idlemeter_frame_time_seconds with the label `game`. What is
/// missing is left out, and what goes beyond 2,000 readings is counted in idlemeter_readings_left_out.
/// docs/fleet.md lists all.
[[nodiscard]] std::string metrics_text(const Snapshot& values, const GameFrames& games, MetricsFormat format);

/// The name and unit under which a reading is found, and what its number is multiplied by.
struct MetricName {
  std::string name = {}, unit = {};
  double factor = 1, offset = 0;
};
[[nodiscard]] MetricName metric_name(const ReadingInfo& info);

}  // namespace idlemeter
