#include "idlemeter/readings/live_readings.hpp"

#include <algorithm>
#include <optional>
#include <utility>

#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/computed_readings.hpp"
#include "idlemeter/readings/frame_latency.hpp"
#include "idlemeter/readings/frame_readings.hpp"
#include "idlemeter/readings/history.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/run_sink.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/units.hpp"
#include "readings/latency_readings.hpp"

namespace idlemeter {
namespace {

constexpr Nanoseconds kSampleEvery = kSecond / 2;

std::shared_ptr<const Batch> batch_of(const GameInfo& game) {
  static const auto list = [] {
    std::vector<ReadingInfo> infos;
    for (const auto& [id, title, brief] :
         {std::tuple("game.name", "Game", "Game"), std::tuple("game.api", "Graphics API", "API"),
          std::tuple("game.picture", "Picture size", "Picture")})
      infos.push_back({id, title, brief, "Game", DeviceKind::game, Unit::none, "the game", -1, true});
    return std::make_shared<const ReadingList>(std::move(infos));
  }();
  const auto known = [&](const std::string& text) {
    const char* reason = game.name.empty() ? "no game runs" : "not known of this game";
    return text.empty() ? Value(Missing{reason}) : Value(text);
  };
  return std::make_shared<const Batch>(Batch{list, {known(game.name), known(game.api), known(game.picture)}, {}});
}

/// How many marks there are, and the last one as "2: boss fight", so that no two are the same text.
std::shared_ptr<const Batch> batch_of_marks(int marks, const std::string& about, Moment now) {
  static const auto list = std::make_shared<const ReadingList>(std::vector<ReadingInfo>{
      {"recording.marks", "Marks set in the recording", "Marks", "Game", DeviceKind::frames, Unit::none, "the user", 0},
      {"recording.mark", "The last mark", "Mark", "Game", DeviceKind::frames, Unit::none, "the user", -1, true}});
  const std::string text = std::to_string(marks) + (about.empty() ? "" : ": " + about);
  const Value last = marks == 0 ? Value(Missing{"no mark was set"}) : Value(text);
  return std::make_shared<const Batch>(Batch{list, {static_cast<double>(marks), last}, now});
}

}  // namespace

struct LiveReadings::State {
  explicit State(std::vector<ComputedReading> own) : computed(std::move(own)), frames(computed.inputs()) {}

  ComputedReadings computed;
  FrameReadings frames;
  readings::LatencyReadings latency;
  std::shared_ptr<const Batch> game = batch_of(GameInfo{});
  Snapshot values;
  History history;

  struct Recording {
    RunSink* sink = nullptr;
    Moment since{};
    std::optional<Moment> until;
    Moment sample_due{};
    int marks = 0;
    std::string mark = {};  // what the last is about
    bool began = false;     // with a frame

    [[nodiscard]] bool covers(const FrameRecord& frame) const {
      return frame.at - frame.interval >= since && (!until || frame.at <= *until);
    }
  };
  std::optional<Recording> recording;
  std::vector<FrameRecord> within;  // kept so that no frame allocates

  /// The recording's span has the frames that are recorded, and no others.
  void count(const FrameRecord& frame) {
    const bool is_late = recording && recording->until && frame.at > *recording->until;
    if (is_late) frames.hold_recording();
    frames.add(frame);
    if (!recording || recording->began || is_late) return;
    recording->began = recording->covers(frame);
    if (!recording->began) frames.begin_recording(recording->since);
  }

  void record(std::span<const FrameRecord> added) {
    if (!recording || recording->sink == nullptr) return;
    within.clear();
    for (FrameRecord frame : added) {
      if (!recording->covers(frame)) continue;
      frame.at = Moment{frame.at - recording->since};
      within.push_back(frame);
    }
    if (!within.empty()) recording->sink->add(within);
  }

  /// A little early counts too: whoever updates twice a second doesn't always do it to the millisecond.
  [[nodiscard]] bool wants_sample(Moment now) const {
    return recording && recording->sink != nullptr && now + kSampleEvery / 4 >= recording->sample_due;
  }

  void record(const Snapshot& sample, Moment now) {
    recording->sample_due = std::max(recording->sample_due, now - kSampleEvery) + kSampleEvery;
    recording->sink->add(Moment{now - recording->since}, sample);
  }
};

LiveReadings::LiveReadings(std::vector<ComputedReading> computed)
    : state_(std::make_unique<State>(std::move(computed))) {}
LiveReadings::LiveReadings(LiveReadings&&) noexcept = default;
LiveReadings& LiveReadings::operator=(LiveReadings&&) noexcept = default;
LiveReadings::~LiveReadings() = default;

void LiveReadings::ask(const std::vector<std::string>& ids) {
  std::vector<std::string> all = state_->computed.inputs();
  all.insert(all.end(), ids.begin(), ids.end());
  state_->frames.ask(all);
}

void LiveReadings::set_game(const GameInfo& game) { state_->game = batch_of(game); }

void LiveReadings::add(std::span<const FrameRecord> frames) {
  for (const FrameRecord& frame : frames) {
    state_->count(frame);
    state_->history.add("frame.time", frame.at, in_milliseconds(frame.interval));
  }
  state_->record(frames);
}

void LiveReadings::add(const FrameLatency& latency) { state_->latency.add(latency); }

const Snapshot& LiveReadings::update(const Snapshot& machine, Moment now, Past past) {
  State& s = *state_;
  Snapshot given = machine.with(s.game).with(s.latency.newest(now));
  if (s.recording) given = given.with(batch_of_marks(s.recording->marks, s.recording->mark, now));
  s.values = given.with(s.frames.batch(now)).with(s.latency.averages(now));
  const auto computed = s.computed.compute(s.values);
  for (const auto& batch : computed) s.values = s.values.with(batch);
  if (past == Past::keep) s.history.add(s.values);
  if (!s.wants_sample(now)) return s.values;
  for (const auto& batch : computed) given = given.with(batch);
  s.record(given, now);
  return s.values;
}

Summary LiveReadings::whole(const SummaryRequest& request) const { return state_->frames.whole(request); }

const Snapshot& LiveReadings::values() const { return state_->values; }

const History& LiveReadings::history() const { return state_->history; }

void LiveReadings::clear() {
  state_->frames.clear();
  if (!state_->recording) state_->latency.clear();
}

void LiveReadings::begin_recording(RunSink* sink, Moment since, std::optional<Moment> until,
                                   std::span<const FrameRecord> already) {
  state_->frames.begin_recording(since, already);
  state_->latency.clear();
  state_->recording = State::Recording{sink, since, until, since};
  state_->recording->began = !already.empty();
  state_->record(already);
}

bool LiveReadings::is_recording() const { return state_->recording.has_value(); }

int LiveReadings::mark(const std::string& about) {
  if (!state_->recording) return 0;
  state_->recording->sample_due = {};
  state_->recording->mark = about;
  return ++state_->recording->marks;
}

void LiveReadings::end_recording(Moment now) {
  state_->recording.reset();
  state_->frames.end_recording(now);
}

void LiveReadings::abandon_recording() {
  state_->recording.reset();
  state_->frames.abandon_recording();
}

}  // namespace idlemeter
