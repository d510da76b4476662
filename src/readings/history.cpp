#include "idlemeter/readings/history.hpp"

#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter {

void History::add(std::string_view id, Moment at, double value) {
  auto entry = entries_.find(id);
  if (entry == entries_.end()) entry = entries_.emplace(id, std::deque<Entry>{}).first;
  std::deque<Entry>& values = entry->second;
  if (at < kEarliestMoment || at > kLatestMoment) return;
  if (!values.empty() && at < values.back().at) values.clear();  // a clock that was set back: what was is another past
  values.push_back({at, value});
  while (values.front().at < at - length_ || values.size() > most_) values.pop_front();
}

void History::add(const Snapshot& snapshot) {
  for (const Snapshot::Entry& entry : snapshot.entries()) {
    if (const auto value = number(*entry.value)) add(entry.info->id, snapshot.time(), *value);
  }
}

const std::deque<History::Entry>* History::of(std::string_view id) const {
  const auto entry = entries_.find(id);
  return entry == entries_.end() ? nullptr : &entry->second;
}

}  // namespace idlemeter
