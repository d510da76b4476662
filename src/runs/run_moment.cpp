#include "idlemeter/run_moment.hpp"

#include <algorithm>

#include "idlemeter/frame_readings.hpp"

namespace idlemeter {

RunMoment moment_of(const Store& store, std::int64_t run, Nanoseconds at, const std::vector<std::string>& ids) {
  RunMoment moment;
  FrameReadings readings(ids);
  readings.begin_recording(0);
  for (const FrameRecord& frame : store.frames(run)) {
    if (frame.at > at) break;
    readings.add(frame);
    moment.history.add("frame.time", frame.at, static_cast<double>(frame.interval) / kMillisecond);
  }
  std::vector<ReadingInfo> infos;
  std::vector<Value> values;
  for (const RunSeries& series : store.series(run)) {
    Value value = Missing{"not yet recorded"};
    for (std::size_t i = 0; i < series.at.size() && series.at[i] <= at; ++i) {
      value = series.values[i];
      if (const auto n = number(value)) moment.history.add(series.info.id, series.at[i], *n);
    }
    infos.push_back(series.info);
    values.push_back(std::move(value));
  }
  auto batch = std::make_shared<Batch>();
  batch->list = std::make_shared<const ReadingList>(std::move(infos));
  batch->values = std::move(values);
  batch->time = at;
  moment.values = Snapshot(at, {readings.batch(at), std::move(batch)});
  return moment;
}

}  // namespace idlemeter
