#include "idlemeter/readings/snapshot.hpp"

#include <fmt/ranges.h>

#include <algorithm>
#include <unordered_set>

#include "idlemeter/base/nearest.hpp"
#include "idlemeter/readings/reading.hpp"

namespace idlemeter {

ReadingList::ReadingList(std::vector<ReadingInfo> readings) {
  readings_.reserve(readings.size());
  std::unordered_set<std::string> seen;
  for (ReadingInfo& reading : readings) {
    if (seen.insert(reading.id).second) readings_.push_back(std::move(reading));
  }
  for (std::size_t i = 0; i < readings_.size(); ++i) index_.emplace(readings_[i].id, i);
  for (std::size_t i = 0; i < readings_.size(); ++i) {
    if (!readings_[i].alias.empty()) index_.emplace(readings_[i].alias, i);
  }
}

std::optional<std::size_t> ReadingList::index_of(std::string_view id) const {
  const auto found = index_.find(id);
  return found == index_.end() ? std::nullopt : std::optional(found->second);
}

namespace {

Snapshot::Entry entry_of(const Batch& batch, std::size_t i) {
  return {&batch.list->readings()[i], &batch.values[i], i < batch.provisional.size() && batch.provisional[i]};
}

}  // namespace

Snapshot::Entry Snapshot::find(std::string_view id) const {
  for (const auto& batch : batches_) {
    if (const auto i = batch->list->index_of(id)) return entry_of(*batch, *i);
  }
  return {};
}

std::vector<Snapshot::Entry> Snapshot::entries() const {
  std::vector<Entry> entries;
  std::unordered_set<std::string_view> seen;
  for (const auto& batch : batches_) {
    const auto& readings = batch->list->readings();
    for (std::size_t i = 0; i < readings.size(); ++i) {
      if (seen.insert(readings[i].id).second) entries.push_back(entry_of(*batch, i));
    }
  }
  return entries;
}

std::vector<SourceProblem> Snapshot::problems() const {
  std::vector<SourceProblem> problems;
  for (const auto& batch : batches_) {
    if (!batch->problem.empty()) problems.push_back({batch->source, batch->problem});
  }
  return problems;
}

Snapshot Snapshot::with(std::shared_ptr<const Batch> batch) const {
  Snapshot result = *this;
  result.time_ = std::max(time_, batch->time);
  result.batches_.push_back(std::move(batch));
  return result;
}

std::vector<std::string> nearest_ids(std::string_view id, const Snapshot& snapshot, std::size_t most) {
  const std::vector<Snapshot::Entry> entries = snapshot.entries();
  std::vector<std::string_view> ids;
  for (const Snapshot::Entry& entry : entries) {
    ids.push_back(entry.info->id);
    if (!entry.info->alias.empty()) ids.push_back(entry.info->alias);
  }
  return nearest(id, ids, most);
}

namespace {

/// What a device may have, for machines without one: a slip in an id is one there too.
struct DeviceWords {
  std::string_view device;  ///< the first letters of its ids
  const char* lacks;
  std::vector<std::string_view> quantities;
};

const std::vector<DeviceWords>& device_words() {
  static const std::vector<DeviceWords> all = {
      {"gpu",
       "this machine has no graphics card that can be measured",
       {"name",         "kind",        "driver",       "load",        "clock",        "temp",       "hotspot.temp",
        "power",        "power.limit", "voltage",      "fan.speed",   "fan.duty",     "throttle",   "link.width",
        "memory.clock", "memory.load", "memory.share", "memory.temp", "memory.total", "memory.used"}},
      {"battery", "this machine has no battery", {"charge", "left", "power", "state"}},
      {"net", "this machine has no network interface", {"down", "up"}}};
  return all;
}

/// "gpu1.temp" -> "gpu"
std::string_view device_of(std::string_view id) { return id.substr(0, id.find_first_of(".0123456789")); }

}  // namespace

std::string unknown_reading(std::string_view id, const Snapshot& snapshot) {
  std::string text = fmt::format("no reading '{}' here", id);
  const auto entries = snapshot.entries();
  for (const DeviceWords& words : device_words()) {
    const bool is_here = std::any_of(entries.begin(), entries.end(),
                                     [&](const auto& entry) { return device_of(entry.info->id) == words.device; });
    const std::size_t dot = id.find('.');
    if (device_of(id) != words.device || is_here || dot == std::string_view::npos) continue;
    const std::string_view quantity = words.device == "net" ? id.substr(id.rfind('.') + 1) : id.substr(dot + 1);
    const auto near = nearest(quantity, words.quantities, 2);
    const bool is_known =
        std::find(words.quantities.begin(), words.quantities.end(), quantity) != words.quantities.end();
    if (is_known || near.empty()) return fmt::format("{}: {}", text, words.lacks);
    const std::string begin(id.substr(0, id.size() - quantity.size()));
    return fmt::format("{}; nearest: {}{}; and {}", text, begin, fmt::join(near, ", " + begin), words.lacks);
  }
  const auto near = nearest_ids(id, snapshot);
  return near.empty() ? text : fmt::format("{}; nearest: {}", text, fmt::join(near, ", "));
}

}  // namespace idlemeter
