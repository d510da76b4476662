#include "idlemeter/reading.hpp"

#include <algorithm>
#include <unordered_set>

#include "readings/nearest.hpp"

namespace idlemeter {

std::optional<double> number(const Value& value) {
  const double* found = std::get_if<double>(&value);
  return found != nullptr ? std::optional(*found) : std::nullopt;
}

std::string_view name_of(DeviceKind kind) {
  constexpr std::string_view kNames[] = {"processor", "graphics", "memory", "disk",   "network", "battery",
                                         "board",     "frames",   "game",   "system", "own"};
  return kNames[static_cast<std::size_t>(kind)];
}

std::string format_value(const ReadingInfo& info, const Value& value) {
  if (const auto* text = std::get_if<std::string>(&value)) return *text;
  const auto found = number(value);
  if (!found) return "–";
  std::string text = format_number(*found, info.digits >= 0 ? info.digits : usual_digits(info.unit));
  if (info.unit != Unit::none) text.append(" ").append(symbol(info.unit));
  return text;
}

ReadingList::ReadingList(std::vector<ReadingInfo> readings) {
  readings_.reserve(readings.size());
  std::unordered_set<std::string> seen;
  for (ReadingInfo& reading : readings) {
    if (seen.insert(reading.id).second) readings_.push_back(std::move(reading));
  }
  for (std::size_t i = 0; i < readings_.size(); ++i) index_.emplace(readings_[i].id, i);
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
  std::vector<std::string_view> ids;
  for (const Snapshot::Entry& entry : snapshot.entries()) ids.push_back(entry.info->id);
  return nearest(id, ids, most);
}

}  // namespace idlemeter
