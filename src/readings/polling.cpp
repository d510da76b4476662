#include "idlemeter/readings/polling.hpp"

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/sampler.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "idlemeter/readings/source.hpp"
#include "readings/asked.hpp"

namespace idlemeter {

using namespace readings;

struct Polling::State {
  std::vector<AskedSource> sources;
};

Polling::Polling(Sources sources) : state_(std::make_unique<State>()) {
  const Nanoseconds rescan = SamplerOptions{}.rescan;
  for (auto& source : sources) state_->sources.emplace_back(std::move(source), rescan);
}

Polling::~Polling() = default;

Snapshot Polling::sample(Moment now) {
  std::vector<std::shared_ptr<const Batch>> batches;
  for (AskedSource& source : state_->sources) batches.push_back(source.ask(now));
  return {now, std::move(batches)};
}

}  // namespace idlemeter
