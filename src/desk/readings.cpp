#include "desk/readings.hpp"

#include <algorithm>
#include <set>

#include "idlemeter/readings/ranges.hpp"
#include "idlemeter/readings/reading_filter.hpp"
#include "idlemeter/readings/units.hpp"
#include "json/json.hpp"

namespace idlemeter::desk {
namespace {

/// The newest values of a reading, as many as a small trace shows.
Json recent(const History& history, const std::string& id) {
  constexpr std::size_t kMost = 60;
  Json values = Json::array();
  const auto* past = history.of(id);
  if (past == nullptr) return values;
  for (std::size_t i = past->size() - std::min(past->size(), kMost); i < past->size(); ++i)
    values.push_back((*past)[i].value);
  return values;
}

Json to_json(const Snapshot::Entry& entry, const History& history) {
  Json one = json::to_json(entry, Ranges());
  one["words"] = format_value(*entry.info, *entry.value);
  one["recent"] = recent(history, entry.info->id);
  return one;
}

}  // namespace

const Snapshot& Readings::newest() {
  constexpr Nanoseconds kOften = kSecond / 4;
  const Moment now = monotonic_now();
  if (taken_ == Moment{} || now - taken_ >= kOften) {
    snapshot_ = values_->update();
    taken_ = now;
  }
  return snapshot_;
}

Json Readings::list(const std::string& query) {
  const std::lock_guard lock(mutex_);
  Json readings = Json::array();
  for (const Snapshot::Entry& entry : entries_with(newest(), query))
    readings.push_back(to_json(entry, values_->history()));
  return {{"readings", readings}};
}

void Readings::use(const std::vector<std::string>& ids,
                   const std::function<void(const Snapshot&, const History&)>& take) {
  const std::lock_guard lock(mutex_);
  std::set<std::string> all(asked_.begin(), asked_.end());
  all.insert(ids.begin(), ids.end());
  if (all.size() > asked_.size()) {
    asked_.assign(all.begin(), all.end());
    values_->ask(asked_);
    taken_ = {};
  }
  take(newest(), values_->history());
}

}  // namespace idlemeter::desk
