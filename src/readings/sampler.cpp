#include "idlemeter/readings/sampler.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <condition_variable>
#include <mutex>
#include <stdexcept>
#include <thread>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/source.hpp"
#include "readings/asked.hpp"

namespace idlemeter {
namespace {

using namespace readings;

/// The values of a source that hasn't answered for a while.
std::shared_ptr<const Batch> without_answer(const Batch& last, const std::string& source, Moment now) {
  auto batch = std::make_shared<Batch>();
  batch->list = last.list;
  batch->time = now;
  const Missing missing{
      fmt::format("the {} source hasn't answered for {:.0f} s; still waiting", source, in_seconds(now - last.time))};
  batch->values.assign(last.values.size(), missing);
  return batch;
}

/// What the options say of it by its name ("hwmon k10temp") or the first word of that, else its own, else the usual.
Nanoseconds pace_of(const Source& source, const SamplerOptions& options) {
  const std::string name = source.name();
  for (const std::string& key : {name, name.substr(0, name.find(' '))}) {
    if (const auto pace = options.paces.find(key); pace != options.paces.end()) return pace->second;
  }
  return source.pace() != Nanoseconds{} ? source.pace() : options.pace;
}

}  // namespace

/// Outlives the sampler if a source never returns, so that its thread finds everything where it was.
struct Sampler::Shared {
  struct Slot {
    Slot(AskedSource asked, Nanoseconds at) : source(std::move(asked)), name(source.source().name()), pace(at) {}

    AskedSource source;  // only its own thread touches it
    const std::string name;
    const Nanoseconds pace;
    std::thread thread;
    std::shared_ptr<const Batch> batch;  // the rest under the mutex
    int rounds = 0;
    bool ended = false;
  };

  mutable std::mutex mutex;                  // held for the swap of a pointer, never while a source works
  mutable std::condition_variable answered;  // apart from the next, so that an answer wakes no other source
  std::condition_variable ending;
  bool stopping = false;
  Nanoseconds patience{};
  std::vector<std::unique_ptr<Slot>> slots;

  void run(Slot& slot);
  void publish(Slot& slot, std::shared_ptr<const Batch> batch, bool answer = true);
};

void Sampler::Shared::publish(Slot& slot, std::shared_ptr<const Batch> batch, bool answer) {
  const std::lock_guard lock(mutex);
  slot.batch.swap(batch);
  slot.rounds += answer ? 1 : 0;
  answered.notify_all();
}

void Sampler::Shared::run(Slot& slot) {
  publish(slot, slot.source.prepare(monotonic_now()),
          false);  // so that it is listed even if its first sample never ends
  Moment next = monotonic_now();
  for (;;) {
    publish(slot, slot.source.ask(monotonic_now()));
    // A steady beat; beats that were slept through (a slow sensor, a suspended machine) are dropped, not made up for.
    next = std::max(next + slot.pace, monotonic_now());
    std::unique_lock lock(mutex);
    if (ending.wait_until(lock, next, [this] { return stopping; })) break;
  }
  const std::lock_guard lock(mutex);
  slot.ended = true;
  answered.notify_all();
}

Sampler::Sampler(Sources sources, const SamplerOptions& options) : shared_(std::make_shared<Shared>()) {
  using namespace std::chrono_literals;
  const auto check = [](Nanoseconds pace) {
    if (pace < 100ms || pace > 1min) throw Error(Error::Code::misuse, "a pace is from 100 ms to 1 min");
    return pace;
  };
  shared_->patience = options.patience;
  check(options.pace);
  for (auto& source : sources) {
    const Nanoseconds pace = check(pace_of(*source, options));
    shared_->slots.push_back(std::make_unique<Shared::Slot>(AskedSource(std::move(source), options.rescan), pace));
  }
  for (auto& slot : shared_->slots) {
    slot->thread = std::thread([shared = shared_, &slot = *slot] { shared->run(slot); });
  }
}

Sampler::~Sampler() {
  using namespace std::chrono_literals;
  std::unique_lock lock(shared_->mutex);
  shared_->stopping = true;
  shared_->ending.notify_all();
  const auto until = monotonic_now() + 500ms;
  for (auto& slot : shared_->slots) {
    shared_->answered.wait_until(lock, until, [&] { return slot->ended; });
    const bool stuck = !slot->ended;
    lock.unlock();
    if (stuck) {
      slot->thread.detach();
    } else {
      slot->thread.join();
    }
    lock.lock();
  }
}

Snapshot Sampler::snapshot() const {
  const Moment now = monotonic_now();
  std::vector<std::shared_ptr<const Batch>> batches;
  const std::lock_guard lock(shared_->mutex);
  batches.reserve(shared_->slots.size());
  for (const auto& slot : shared_->slots) {
    if (slot->batch == nullptr) continue;
    const bool late = now - slot->batch->time > shared_->patience + 2 * slot->pace;
    batches.push_back(late ? without_answer(*slot->batch, slot->name, now) : slot->batch);
  }
  return {now, std::move(batches)};
}

bool Sampler::wait(int rounds, Nanoseconds at_most) const {
  std::unique_lock lock(shared_->mutex);
  return shared_->answered.wait_for(lock, at_most, [&] {
    return std::all_of(shared_->slots.begin(), shared_->slots.end(),
                       [&](const auto& slot) { return slot->rounds >= rounds; });
  });
}

}  // namespace idlemeter
