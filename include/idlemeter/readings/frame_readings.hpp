// Idle Meter: frames as readings: `frame.rate`, `frame.time`, `frame.low@1%` and so on.
#pragma once

#include <memory>
#include <span>
#include <string>
#include <vector>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter {

/// Turns the frames of a game into readings, over the spans that faces ask for.
///
/// frame.rate       frames over time of the last half second: a rate that the eye can follow
/// frame.time       the newest interval
/// frame.gpu        how long the GPU worked on the newest frame that is known of, for a second
/// frame.average …  statistics of a span: see FrameStatistic; a low or percentile is provisional while there are fewer
///                  frames than its share needs
/// recording.state  "on", "held" (the figures stay until they are cleared or the next recording starts) or "off"
/// recording.time   seconds since the recording started
///
/// One thread at a time. All spans that grow together keep four to eight bytes a frame: see FrameSpans.
class FrameReadings {
 public:
  /// `ids`: statistics beside the usual ones, see ask().
  explicit FrameReadings(const std::vector<std::string>& ids = {});
  FrameReadings(FrameReadings&&) noexcept;
  FrameReadings& operator=(FrameReadings&&) noexcept;
  ~FrameReadings();

  /// From now on also these, and no others beside the usual ones. Spans that were there go on; ids that are no
  /// statistics are skipped.
  void ask(const std::vector<std::string>& ids);

  void add(const FrameRecord& frame);

  /// Restarts all spans, except that of a recording in progress.
  void clear();

  /// Begins the recording's span: empty, or with frames of the recording that were added before.
  void begin_recording(Moment since, std::span<const FrameRecord> already = {});

  /// What comes from now on isn't of the recording any more, which hasn't ended yet.
  void hold_recording();

  /// The recording failed before anything was recorded: its span continues as if there were no recording.
  void abandon_recording();

  /// Holds the recording's figures.
  void end_recording(Moment now);

  /// The figures of all frames since the beginning, whatever was cleared.
  [[nodiscard]] Summary whole(const SummaryRequest& request = {}) const;

  /// Bytes held for the frames of spans that grow.
  [[nodiscard]] std::size_t memory() const;

  /// The readings now, to go into a snapshot.
  [[nodiscard]] std::shared_ptr<const Batch> batch(Moment now) const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace idlemeter
