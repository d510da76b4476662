#include "idlemeter/runs/background_recorder.hpp"

#include <fmt/format.h>

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

using Item = std::variant<FrameRecord, Sample>;

}  // namespace

/// Outlives the recorder if a disk never answers, so that the thread finds everything where it was.
struct BackgroundRecorder::Shared {
  std::filesystem::path store;
  RunDetails details;
  Recorder::Clock clock;
  Finished finished;

  mutable std::mutex mutex;
  mutable std::condition_variable changed;
  std::deque<Item> queue;               // all below under the mutex
  std::size_t frames = 0, samples = 0;  // not written yet, those that the thread has in hand among them
  bool ending = false, abandoned = false;
  State state;

  void add(Item item, std::size_t& count, std::size_t most);
  void run();
  void record();
  void write(Recorder& recorder, const std::deque<Item>& items);
  bool next(std::deque<Item>& items);
  void set(Phase phase, const std::string& problem = {});
};

/// With the mutex held.
void BackgroundRecorder::Shared::add(Item item, std::size_t& count, std::size_t most) {
  if (ending || state.phase == Phase::failed) return;
  if (count >= most) {
    ending = true;
    state.problem = fmt::format("{}: the store took nothing for so long that the run had to end; {}", store.string(),
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

void BackgroundRecorder::Shared::write(Recorder& recorder, const std::deque<Item>& items) {
  for (const Item& item : items) {
    const auto* frame = std::get_if<FrameRecord>(&item);
    if (frame != nullptr) {
      recorder.add(*frame);
    } else {
      recorder.add(std::get<Sample>(item).at, std::get<Sample>(item).values);
    }
    const std::lock_guard lock(mutex);
    --(frame != nullptr ? frames : samples);
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
  const std::int64_t run = recorder.finish();
  if (!finished) return;
  try {
    finished(opened, run);
  } catch (const std::exception& error) {  // the run itself is safe
    const std::lock_guard lock(mutex);
    state.problem = error.what();
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
                                       Finished finished)
    : shared_(std::make_shared<Shared>()) {
  shared_->store = std::move(store);
  shared_->details = std::move(details);
  shared_->clock = std::move(clock);
  shared_->finished = std::move(finished);
  quiet_thread([shared = shared_] { shared->run(); }).detach();
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

void BackgroundRecorder::add(std::span<const FrameRecord> frames) {
  const std::lock_guard lock(shared_->mutex);
  for (const FrameRecord& frame : frames) shared_->add(frame, shared_->frames, limits::kFramesToWrite);
  shared_->changed.notify_all();
}

void BackgroundRecorder::add(Moment at, const Snapshot& snapshot) {
  const std::lock_guard lock(shared_->mutex);
  shared_->add(Sample{at, snapshot}, shared_->samples, limits::kSamplesToWrite);
  shared_->changed.notify_all();
}

void BackgroundRecorder::finish() {
  const std::lock_guard lock(shared_->mutex);
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
