#include "idlemeter/runs/run_moment.hpp"

#include <algorithm>
#include <optional>
#include <span>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/computed_readings.hpp"
#include "idlemeter/readings/live_readings.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {

namespace {

/// The series of a run as snapshots, one for each time at which anything was sampled.
class RecordedMachine {
 public:
  explicit RecordedMachine(std::vector<RunSeries> series) : series_(std::move(series)), next_(series_.size(), 0) {
    std::vector<ReadingInfo> infos;
    for (const RunSeries& one : series_) infos.push_back(one.info);
    list_ = std::make_shared<const ReadingList>(std::move(infos));
    values_.assign(series_.size(), Missing{"not yet recorded"});
  }

  /// When the next sample was taken; empty after the last.
  [[nodiscard]] std::optional<Moment> next() const {
    std::optional<Moment> next;
    for (std::size_t i = 0; i < series_.size(); ++i) {
      if (next_[i] < series_[i].at.size()) next = std::min(next.value_or(kLatestMoment), series_[i].at[next_[i]]);
    }
    return next;
  }

  /// What was known then.
  [[nodiscard]] Snapshot at(Moment time) {
    for (std::size_t i = 0; i < series_.size(); ++i) {
      for (; next_[i] < series_[i].at.size() && series_[i].at[next_[i]] <= time; ++next_[i])
        values_[i] = series_[i].values[next_[i]];
    }
    return {time, {std::make_shared<const Batch>(Batch{list_, values_, time})}};
  }

 private:
  std::vector<RunSeries> series_;
  std::vector<std::size_t> next_;
  std::shared_ptr<const ReadingList> list_;
  std::vector<Value> values_;
};

}  // namespace

RunMoment moment_of(const Store& store, std::int64_t run, Moment at, const std::vector<std::string>& ids,
                    const std::vector<ComputedReading>& computed) {
  const std::vector<FrameRecord> frames = store.frames(run);
  RecordedMachine machine(store.series(run));
  LiveReadings live(computed);
  live.ask(ids);
  live.begin_recording(nullptr, Moment{});
  std::size_t done = 0;
  const auto add_frames_until = [&](Moment time) {
    std::size_t end = done;
    while (end < frames.size() && frames[end].at <= time) ++end;
    live.add(std::span(frames).subspan(done, end - done));
    done = end;
  };
  for (auto sample = machine.next(); sample && *sample <= at; sample = machine.next()) {
    add_frames_until(*sample);
    live.update(machine.at(*sample), *sample);
  }
  add_frames_until(at);
  live.update(machine.at(at), at, LiveReadings::Past::skip);
  return {live.values(), live.history()};
}

}  // namespace idlemeter
