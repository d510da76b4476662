#include "readings/asked.hpp"

#include <cmath>
#include <exception>
#include <unordered_set>

#include "idlemeter/error.hpp"

namespace idlemeter {

void AskedSource::discover(Nanoseconds now) {
  discovered_ = now;
  std::vector<ReadingInfo> found = source_->discover();
  std::unordered_set<std::string_view> ids;
  for (const ReadingInfo& info : found) {
    if (!ids.insert(info.id).second) throw Error("the " + source_->name() + " source has '" + info.id + "' twice");
  }
  if (list_ != nullptr && found == found_) return;  // the same readings keep the same list
  found_ = std::move(found);
  list_ = std::make_shared<const ReadingList>(found_);
}

/// A batch of missing values; discovers where it is due. A source that throws has no readings, or the ones it had.
std::shared_ptr<Batch> AskedSource::empty_batch(Nanoseconds now) {
  std::string reason = "not sampled yet";
  try {
    if (list_ == nullptr || now - discovered_ >= rescan_) discover(now);
  } catch (const std::exception& failure) {
    reason = failure.what();
  }
  if (list_ == nullptr) list_ = std::make_shared<const ReadingList>(std::vector<ReadingInfo>{});
  auto batch = std::make_shared<Batch>();
  batch->list = list_;
  batch->time = now;
  batch->values.assign(found_.size(), Missing{reason});
  return batch;
}

std::shared_ptr<const Batch> AskedSource::prepare(Nanoseconds now) { return empty_batch(now); }

std::shared_ptr<const Batch> AskedSource::ask(Nanoseconds now) {
  const auto batch = empty_batch(now);
  try {
    if (!source_->sample(now, batch->values)) discovered_ = now - rescan_;
  } catch (const std::exception& failure) {
    batch->values.assign(found_.size(), Missing{failure.what()});
  }
  for (Value& value : batch->values) {
    const auto n = number(value);
    if (n && !std::isfinite(*n)) value = Missing{"not a number"};
  }
  return batch;
}

}  // namespace idlemeter
