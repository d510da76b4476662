#include "idlemeter/runs/background_recorder.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <condition_variable>
#include <deque>
#include <mutex>
#include <variant>

#include "base/quiet_thread.hpp"
#include "idlemeter/base/limits.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_record.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/runs/recorder.hpp"
#include "idlemeter/runs/run.hpp"
#include "idlemeter/runs/store.hpp"

namespace idlemeter {
namespace {

using namespace base;

struct Sample {
  Moment at{};
  Snapshot values;
};

/// For facts that take their time: less than the meter waits for the end of a recording.
constexpr std::chrono::seconds kFactsTime{3};

using Item = std::variant<FrameRecord, Sample, RunDetails>;

}  // namespace

/// Outlives the recorder if a disk never answers, so that the thread finds everything where it was.
struct BackgroundRecorder::Shared {
  std::filesystem::path store;
  RunDetails details;
  Recorder::Clock clock;
  Finished finished;

  mutable std::mutex mutex;
  mutable std::condition_variable changed;
  std::deque<Item> queue;                                   // all below under the mutex
  std::size_t frames = 0, samples = 0, details_to_add = 0;  // not written yet, those that the thread has among them
  std::size_t all_frames = 0;                               // of the run
  bool ending = false, abandoned = false;
  RunEnd end = RunEnd::asked;
  std::uint64_t lost = 0;
  bool is_complete = false;  // nothing more has to be found out about the run
  RunDetails found_out;
  State state;

  bool has_room();
  void add(Item item, std::size_t& count, std::size_t most);
  void run();
  void record();
  void write(Recorder& recorder, const std::deque<Item>& items);
  bool next(std::deque<Item>& items);
  void set(Phase phase, const std::string& problem = {});
  void complete(const MoreDetails& more);
  RunDetails last_details();
};

/// With the mutex held. A run with more frames than can be read again ends.
bool BackgroundRecorder::Shared::has_room() {
  if (++all_frames <= limits::kFramesOfRun || ending) return !ending;
  ending = true;
  end = RunEnd::time;
  state.problem = fmt::format("a run holds up to {} frames", limits::kFramesOfRun);
  return false;
}

/// With the mutex held.
void BackgroundRecorder::Shared::add(Item item, std::size_t& count, std::size_t most) {
  if (ending || state.phase == Phase::failed) return;
  if (count >= most) {
    ending = true;
    end = RunEnd::store_failed;
    state.problem = fmt::format("{}: the run was stopped because nothing could be written any more; {}", store.string(),
                                state.run == 0 ? "another program may have it locked" : "the disk may be too slow");
    return;
  }
  ++count;
  queue.push_back(std::move(item));
}

void BackgroundRecorder::Shared::set(Phase phase, const std::string& problem) {
  const std::lock_guard lock(mutex);
  state.phase = phase;
  if (!problem.empty()) state.problem = problem;
  changed.notify_all();
}

/// Waits for something to write; false once there is nothing more to come.
bool BackgroundRecorder::Shared::next(std::deque<Item>& items) {
  items.clear();
  std::unique_lock lock(mutex);
  changed.wait(lock, [&] { return !queue.empty() || ending; });
  items.swap(queue);
  return !items.empty();
}

void BackgroundRecorder::Shared::complete(const MoreDetails& more) {
  RunDetails details;
  try {
    details = more();
  } catch (const std::exception&) {  // the run goes without
  }
  const std::lock_guard lock(mutex);
  found_out = std::move(details);
  is_complete = true;
  changed.notify_all();
}

/// What was found out, once it is known or the wait is over.
RunDetails BackgroundRecorder::Shared::last_details() {
  std::unique_lock lock(mutex);
  changed.wait_for(lock, kFactsTime, [this] { return is_complete || abandoned; });
  return std::move(found_out);
}

void BackgroundRecorder::Shared::write(Recorder& recorder, const std::deque<Item>& items) {
  for (const Item& item : items) {
    std::size_t* count = &details_to_add;
    if (const auto* frame = std::get_if<FrameRecord>(&item)) {
      recorder.add(*frame);
      count = &frames;
    } else if (const auto* sample = std::get_if<Sample>(&item)) {
      recorder.add(sample->at, sample->values);
      count = &samples;
    } else {
      recorder.add(std::get<RunDetails>(item));
    }
    const std::lock_guard lock(mutex);
    --*count;
  }
}

void BackgroundRecorder::Shared::record() {
  const auto give_up = [this] {
    const std::lock_guard lock(mutex);
    return abandoned;
  };
  Store opened(store, Store::Mode::create, LockWait{std::chrono::hours(24), give_up});
  Recorder recorder(opened, details, clock);
  {
    const std::lock_guard lock(mutex);
    state.run = recorder.id();
    state.phase = Phase::recording;
    changed.notify_all();
  }
  for (std::deque<Item> items; next(items);) write(recorder, items);
  recorder.add(last_details());
  const auto [how, missed] = [this] {
    const std::lock_guard lock(mutex);
    return std::pair(end, lost);
  }();
  const std::int64_t run = recorder.finish(how, missed);
  if (!finished) return;
  try {
    finished(opened, run);
  } catch (const std::exception& error) {  // the run itself is safe
    const std::lock_guard lock(mutex);
    state.problem_after = error.what();
  }
}

void BackgroundRecorder::Shared::run() {
  try {
    record();
    set(Phase::finished);
  } catch (const std::exception& error) {
    set(Phase::failed, error.what());
  }
}

BackgroundRecorder::BackgroundRecorder(std::filesystem::path store, RunDetails details, Recorder::Clock clock,
                                       Finished finished, MoreDetails more)
    : shared_(std::make_shared<Shared>()) {
  shared_->store = std::move(store);
  shared_->details = std::move(details);
  shared_->clock = std::move(clock);
  shared_->finished = std::move(finished);
  shared_->is_complete = more == nullptr;
  quiet_thread([shared = shared_] { shared->run(); }).detach();
  if (more) quiet_thread([shared = shared_, more = std::move(more)] { shared->complete(more); }).detach();
}

BackgroundRecorder::~BackgroundRecorder() {
  using namespace std::chrono_literals;
  finish();
  const bool given_up = [this] {
    const std::lock_guard lock(shared_->mutex);
    return shared_->abandoned;
  }();
  if (!given_up && wait(5s)) return;
  give_up();
  (void)wait(1s);  // a lock's wait ends at once; a disk that doesn't answer keeps its thread
}

void BackgroundRecorder::give_up() {
  const std::lock_guard lock(shared_->mutex);
  shared_->ending = shared_->abandoned = true;
  shared_->changed.notify_all();
}

void BackgroundRecorder::note_lost(std::uint64_t lost) {
  const std::lock_guard lock(shared_->mutex);
  shared_->lost = std::max(shared_->lost, lost);
}

void BackgroundRecorder::add(std::span<const FrameRecord> frames) {
  const std::lock_guard lock(shared_->mutex);
  for (const FrameRecord& frame : frames) {
    if (!shared_->has_room()) break;
    shared_->add(frame, shared_->frames, limits::kFramesToWrite);
  }
  shared_->changed.notify_all();
}

void BackgroundRecorder::add(Moment at, const Snapshot& snapshot) {
  const std::lock_guard lock(shared_->mutex);
  shared_->add(Sample{at, snapshot}, shared_->samples, limits::kSamplesToWrite);
  shared_->changed.notify_all();
}

void BackgroundRecorder::add(const RunDetails& more) {
  const std::lock_guard lock(shared_->mutex);
  shared_->add(more, shared_->details_to_add, limits::kSamplesToWrite);
  shared_->changed.notify_all();
}

void BackgroundRecorder::finish(RunEnd end, std::uint64_t lost) {
  const std::lock_guard lock(shared_->mutex);
  if (!shared_->ending) shared_->end = end;
  shared_->lost = std::max(shared_->lost, lost);
  shared_->ending = true;
  shared_->changed.notify_all();
}

BackgroundRecorder::State BackgroundRecorder::state() const {
  const std::lock_guard lock(shared_->mutex);
  return shared_->state;
}

bool BackgroundRecorder::wait(Nanoseconds at_most) const {
  std::unique_lock lock(shared_->mutex);
  return shared_->changed.wait_for(lock, at_most, [this] {
    return shared_->state.phase == Phase::finished || shared_->state.phase == Phase::failed;
  });
}

}  // namespace idlemeter
