#include "idlemeter/readings/frame_readings.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <deque>
#include <optional>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/frames/frame_spans.hpp"
#include "idlemeter/frames/frame_statistic.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/frames/limit.hpp"
#include "idlemeter/frames/live_frames.hpp"
#include "idlemeter/frames/span.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/units.hpp"
#include "readings/statistic_values.hpp"

namespace idlemeter {

using namespace readings;

namespace {

using Quantity = FrameStatistic::Quantity;

constexpr const char* kUsual[] = {"frame.average",        "frame.min",      "frame.max",    "frame.low@1%",
                                  "frame.low@0.2%",       "frame.low@0.1%", "frame.median", "frame.percentile@95%",
                                  "frame.percentile@99%", "frame.pacing",   "frame.span",   "frame.count"};

/// What follows the name of a quantity: " of the last 10 s".
std::string words_of(const std::optional<Span>& span) {
  if (!span || span->kind == Span::Kind::recording) return " of the span";
  if (span->kind == Span::Kind::cleared) return " since cleared";
  return fmt::format(" of the last {} s", in_seconds(span->length));
}

constexpr const char* kNoGpuTime = "the graphics driver reports no GPU time";

/// Milliseconds, or missing if there is no such time.
Value milliseconds(Nanoseconds time, const char* reason) {
  return time > Nanoseconds{} ? Value(in_milliseconds(time)) : Value(Missing{reason});
}

/// What limited the last whole second of play.
class LastSecond {
 public:
  void add(const FrameRecord& frame) {
    frames_.push_back(frame);
    time_ += frame.interval;
    if (time_ < kSecond && frames_.size() < kMostFrames) return;
    limit_ = find_limits(frames_).main();
    frames_.clear();
    time_ = {};
  }
  [[nodiscard]] Value value() const {
    if (!limit_) return Missing{kNoFrames};
    if (*limit_ == Limit::unknown) return Missing{kNoGpuTime};
    return std::string(name_of(*limit_));
  }

 private:
  static constexpr std::size_t kMostFrames = 10'000;

  std::vector<FrameRecord> frames_;
  Nanoseconds time_{};
  std::optional<Limit> limit_;
};

/// A stretch of frames with the statistics that are asked of it.
struct Stretch {
  explicit Stretch(const Span& s) : span(s) {
    if (s.kind == Span::Kind::last) sliding.emplace(LiveFrames::sliding(s.length));
  }

  /// Only what the statistics need: each low costs.
  [[nodiscard]] SummaryRequest request() const {
    SummaryRequest request{{}, {}, {}};
    for (const FrameStatistic& statistic : statistics) add_to(request, statistic);
    return request;
  }

  Span span;
  std::optional<LiveFrames> sliding;  // of the last while; the others grow together
  std::vector<FrameStatistic> statistics;
};

}  // namespace

struct FrameReadings::State {
  enum class Recording { off, on, held } recording = Recording::off;
  Moment recording_since{};
  Nanoseconds recorded{};
  FrameSpans growing;
  FrameSpans::Id whole = growing.add_span(), of_recording = growing.add_span(), cleared = growing.add_span();
  std::vector<Stretch> stretches;
  LiveFrames recent = LiveFrames::sliding(kSecond / 2);
  LastSecond last_second;
  FrameRecord newest;
  FrameRecord timed;  // the newest whose GPU work is known: drivers report it late, and not for each
  std::shared_ptr<const ReadingList> list;

  [[nodiscard]] Summary summary(const Stretch& stretch) const {
    if (stretch.sliding) return stretch.sliding->summary(stretch.request());
    return growing.summary(stretch.span.kind == Span::Kind::recording ? of_recording : cleared, stretch.request());
  }

  /// The span's stretch with the frames that it had, or a new one.
  Stretch& stretch(std::vector<Stretch>& into, const Span& span) {
    const auto is_it = [&](const Stretch& stretch) { return stretch.span == span; };
    if (const auto there = std::find_if(into.begin(), into.end(), is_it); there != into.end()) return *there;
    Stretch fresh(span);
    if (const auto old = std::find_if(stretches.begin(), stretches.end(), is_it); old != stretches.end())
      std::swap(fresh.sliding, old->sliding);
    return into.emplace_back(std::move(fresh));
  }

  void ask(const std::vector<std::string>& ids) {
    std::vector<Stretch> asked;
    const auto add = [&](const std::string& id) {
      auto statistic = frame_statistic(id);
      if (!statistic) return;
      if (!statistic->span) statistic->span = Span{};
      auto& list = stretch(asked, *statistic->span).statistics;
      if (std::find(list.begin(), list.end(), *statistic) == list.end()) list.push_back(*statistic);
    };
    for (const char* id : kUsual) add(id);
    for (const std::string& id : ids) add(id);
    stretches = std::move(asked);
    list = readings();
  }

  [[nodiscard]] std::shared_ptr<const ReadingList> readings() const {
    std::vector infos = {
        frame_info("frame.rate", "Frame rate, last half second", "FPS", Unit::frames_per_second, 0),
        frame_info("frame.time", "Frame time of the newest frame", "Frame", Unit::millisecond, 1),
        frame_info("frame.gpu", "GPU work on the newest frame", "GPU work", Unit::millisecond, 1),
        frame_info("frame.limit", "What limits the frame rate, last second", "Limit", Unit::none, 0),
        frame_info("recording.state", "Whether a recording is in progress", "Recording", Unit::none, 0),
        frame_info("recording.time", "Length of the recording", "Recording", Unit::second, 0),
    };
    infos[3].text = infos[4].text = true;
    for (const Stretch& stretch : stretches) {
      for (const FrameStatistic& statistic : stretch.statistics)
        infos.push_back(info_of(statistic, words_of(statistic.span)));
    }
    return std::make_shared<const ReadingList>(std::move(infos));
  }

  [[nodiscard]] Value recording_time(Moment now) const {
    if (recording == Recording::off) return Missing{"no recording"};
    return in_seconds(recording == Recording::on ? now - recording_since : recorded);
  }
};

FrameReadings::FrameReadings(const std::vector<std::string>& ids) : state_(std::make_unique<State>()) { ask(ids); }
FrameReadings::FrameReadings(FrameReadings&&) noexcept = default;
FrameReadings& FrameReadings::operator=(FrameReadings&&) noexcept = default;
FrameReadings::~FrameReadings() = default;

void FrameReadings::ask(const std::vector<std::string>& ids) { state_->ask(ids); }

void FrameReadings::add(const FrameRecord& frame) {
  for (Stretch& stretch : state_->stretches) {
    if (stretch.sliding) stretch.sliding->add(frame.interval);
  }
  state_->growing.add(frame.interval);
  state_->recent.add(frame.interval);
  state_->last_second.add(frame);
  state_->newest = frame;
  if (frame.gpu_work > Nanoseconds{}) state_->timed = frame;
}

void FrameReadings::clear() {
  for (Stretch& stretch : state_->stretches) {
    if (stretch.sliding) stretch.sliding->clear();
  }
  state_->growing.restart(state_->cleared);
  if (state_->recording != State::Recording::on) state_->growing.restart(state_->of_recording);
  if (state_->recording == State::Recording::held) state_->recording = State::Recording::off;
}

void FrameReadings::begin_recording(Moment since, std::span<const FrameRecord> already) {
  std::vector<Nanoseconds> intervals;
  for (const FrameRecord& frame : already) intervals.push_back(frame.interval);
  state_->growing.restart(state_->of_recording, intervals);
  state_->recording = State::Recording::on;
  state_->recording_since = since;
}

void FrameReadings::hold_recording() { state_->growing.hold(state_->of_recording); }

void FrameReadings::abandon_recording() { state_->recording = State::Recording::off; }

void FrameReadings::end_recording(Moment now) {
  if (state_->recording != State::Recording::on) return;
  state_->recording = State::Recording::held;
  state_->growing.hold(state_->of_recording);
  state_->recorded = now - state_->recording_since;
}

Summary FrameReadings::whole(const SummaryRequest& request) const {
  return state_->growing.summary(state_->whole, request);
}

std::size_t FrameReadings::memory() const { return state_->growing.memory(); }

std::shared_ptr<const Batch> FrameReadings::batch(Moment now) const {
  constexpr const char* kStates[] = {"off", "on", "held"};
  auto batch = std::make_shared<Batch>();
  batch->list = state_->list;
  batch->time = now;
  batch->values = {
      value_of({.quantity = Quantity::average}, state_->recent.summary({{}, {}, {}})),
      milliseconds(state_->newest.interval, kNoFrames),
      milliseconds(state_->newest.at - state_->timed.at <= kSecond ? state_->timed.gpu_work : kUnknownTime, kNoGpuTime),
      state_->last_second.value(),
      std::string(kStates[static_cast<int>(state_->recording)]),
      state_->recording_time(now),
  };
  batch->provisional.resize(batch->values.size());
  for (const Stretch& stretch : state_->stretches) {
    const Summary summary = state_->summary(stretch);
    for (const FrameStatistic& statistic : stretch.statistics) {
      batch->values.push_back(value_of(statistic, summary));
      batch->provisional.push_back(is_uncertain(statistic, summary));
    }
  }
  return batch;
}

}  // namespace idlemeter
