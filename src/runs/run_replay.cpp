#include "idlemeter/runs/run_replay.hpp"

#include <algorithm>
#include <optional>
#include <span>
#include <utility>

#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/live_readings.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/runs/run.hpp"

namespace idlemeter {

namespace {

/// The series of a run as snapshots, one for each time at which anything was sampled.
class RecordedMachine {
 public:
  explicit RecordedMachine(std::vector<RunSeries> series) : series_(std::move(series)) {
    std::vector<ReadingInfo> infos;
    for (const RunSeries& one : series_) infos.push_back(one.info);
    list_ = std::make_shared<const ReadingList>(std::move(infos));
    restart();
  }

  /// When the next sample was taken; empty after the last.
  [[nodiscard]] std::optional<Moment> next() const {
    std::optional<Moment> next;
    for (std::size_t i = 0; i < series_.size(); ++i) {
      if (next_[i] < series_[i].at.size()) next = std::min(next.value_or(kLatestMoment), series_[i].at[next_[i]]);
    }
    return next;
  }

  void restart() {
    next_.assign(series_.size(), 0);
    values_.assign(series_.size(), Missing{"not yet recorded"});
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

struct RunReplay::State {
  std::vector<FrameRecord> frames;
  RecordedMachine machine;
  std::vector<std::string> ids;
  std::vector<ComputedReading> computed;
  LiveReadings live;
  std::size_t done = 0;  ///< frames
  Moment now{};

  State(const Store& store, std::int64_t run, std::vector<std::string> asked, std::vector<ComputedReading> own)
      : frames(store.frames(run)), machine(store.series(run)), ids(std::move(asked)), computed(std::move(own)) {
    restart();
  }

  void restart() {
    machine.restart();
    live = LiveReadings(computed);
    live.ask(ids);
    live.begin_recording(nullptr, Moment{});
    done = 0;
    now = {};
  }

  void add_frames_until(Moment time) {
    std::size_t end = done;
    while (end < frames.size() && frames[end].at <= time) ++end;
    live.add(std::span(frames).subspan(done, end - done));
    done = end;
  }
};

RunReplay::RunReplay(const Store& store, std::int64_t run, const std::vector<std::string>& ids,
                     const std::vector<ComputedReading>& computed)
    : state_(std::make_unique<State>(store, run, ids, computed)) {}

RunReplay::RunReplay(RunReplay&&) noexcept = default;
RunReplay& RunReplay::operator=(RunReplay&&) noexcept = default;
RunReplay::~RunReplay() = default;

void RunReplay::go_to(Moment at) {
  State& s = *state_;
  s.now = std::max(s.now, at);
  for (auto sample = s.machine.next(); sample && *sample <= s.now; sample = s.machine.next()) {
    s.add_frames_until(*sample);
    s.live.update(s.machine.at(*sample), *sample);
  }
  s.add_frames_until(s.now);
  s.live.update(s.machine.at(s.now), s.now, LiveReadings::Past::skip);
}

void RunReplay::restart() { state_->restart(); }

const Snapshot& RunReplay::values() const { return state_->live.values(); }
const History& RunReplay::history() const { return state_->live.history(); }

}  // namespace idlemeter
