#include "readings/asked.hpp"

#include <fmt/format.h>

#include <cmath>
#include <exception>
#include <unordered_set>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"

namespace idlemeter::readings {

void AskedSource::discover(Moment now) {
  discovered_ = now;
  std::vector<ReadingInfo> found = source_->discover();
  std::unordered_set<std::string_view> ids;
  for (const ReadingInfo& info : found) {
    if (!ids.insert(info.id).second)
      throw Error(Error::Code::invalid, fmt::format("it has '{}' twice", printable(info.id)));
  }
  if (list_ != nullptr && found == found_) return;  // the same readings keep the same list
  found_ = std::move(found);
  list_ = std::make_shared<const ReadingList>(found_);
}

void AskedSource::discover_if_due(Moment now) {
  if (list_ != nullptr && now - discovered_ < rescan_) return;
  problem_.clear();
  try {
    discover(now);
  } catch (const std::exception& failure) {
    problem_ = failure.what();
  }
}

/// A batch of missing values; discovers if that is due. A source that throws has no readings, or the ones it had.
std::shared_ptr<Batch> AskedSource::empty_batch(Moment now) {
  discover_if_due(now);
  if (list_ == nullptr) list_ = std::make_shared<const ReadingList>(std::vector<ReadingInfo>{});
  auto batch = std::make_shared<Batch>();
  batch->list = list_;
  batch->time = now;
  batch->source = source_->name();
  batch->problem = problem_;
  batch->values.assign(found_.size(), Missing{problem_.empty() ? "not sampled yet" : problem_});
  return batch;
}

std::shared_ptr<const Batch> AskedSource::prepare(Moment now) { return empty_batch(now); }

std::shared_ptr<const Batch> AskedSource::ask(Moment now) {
  const auto batch = empty_batch(now);
  if (!problem_.empty()) return batch;
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

}  // namespace idlemeter::readings
