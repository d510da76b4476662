#include "idlemeter/readings/computed_readings.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <deque>
#include <numeric>

#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/readings/reading.hpp"
#include "idlemeter/readings/snapshot.hpp"
#include "readings/formula.hpp"

namespace idlemeter {
namespace {

using namespace readings;

/// The number of a reading in a snapshot, or why there is none.
Value input(const Snapshot& snapshot, const std::string& id) {
  const Snapshot::Entry entry = snapshot.find(id);
  if (entry.value == nullptr) return Missing{unknown_reading(id, snapshot)};
  if (const auto* missing = std::get_if<Missing>(entry.value))
    return Missing{fmt::format("{} is missing: {}", id, missing->reason)};
  return std::holds_alternative<std::string>(*entry.value) ? Value(Missing{id + " is a text"}) : *entry.value;
}

/// One computed reading with what it remembers.
class Computed {
 public:
  explicit Computed(ComputedReading reading) : reading_(std::move(reading)) {
    if (reading_.formula.empty()) return;
    try {
      formula_.emplace(reading_.formula);
    } catch (const Error& error) {
      throw Error(Error::Code::invalid, fmt::format("{}: {}", reading_.info.id, error.what()));
    }
  }

  [[nodiscard]] std::vector<std::string> inputs() const {
    return formula_ ? formula_->ids() : std::vector<std::string>{reading_.of};
  }

  Value next(const Snapshot& snapshot) { return formula_ ? of_formula(snapshot) : of_span(snapshot); }

 private:
  Value of_formula(const Snapshot& snapshot) const {
    std::vector<double> numbers;
    for (const std::string& id : formula_->ids()) {
      const Value value = input(snapshot, id);
      if (!number(value)) return value;
      numbers.push_back(*number(value));
    }
    const auto value = formula_->value(numbers);
    return value ? Value(*value) : Value(Missing{fmt::format("'{}' is undefined now", reading_.formula)});
  }

  Value of_span(const Snapshot& snapshot) {
    const Value value = input(snapshot, reading_.of);
    if (const auto n = number(value)) values_.emplace_back(snapshot.time(), *n);
    while (!values_.empty() && values_.front().first < snapshot.time() - reading_.over) values_.pop_front();
    if (values_.empty()) return number(value) ? Value(Missing{"no samples yet"}) : value;
    const auto less = [](const auto& a, const auto& b) { return a.second < b.second; };
    if (reading_.take == ComputedReading::Take::least)
      return std::min_element(values_.begin(), values_.end(), less)->second;
    if (reading_.take == ComputedReading::Take::most)
      return std::max_element(values_.begin(), values_.end(), less)->second;
    const double sum =
        std::accumulate(values_.begin(), values_.end(), 0.0, [](double s, const auto& v) { return s + v.second; });
    return sum / static_cast<double>(values_.size());
  }

  ComputedReading reading_;
  std::optional<Formula> formula_;
  std::deque<std::pair<Moment, double>> values_;
};

}  // namespace

struct ComputedReadings::State {
  std::vector<Computed> readings;
  std::vector<std::shared_ptr<const ReadingList>> lists;  // one each, so that a later formula finds an earlier reading
};

ComputedReadings::ComputedReadings(std::vector<ComputedReading> readings) : state_(std::make_unique<State>()) {
  for (ComputedReading& reading : readings) {
    state_->lists.push_back(std::make_shared<const ReadingList>(std::vector{reading.info}));
    state_->readings.emplace_back(std::move(reading));
  }
}

ComputedReadings::ComputedReadings(ComputedReadings&&) noexcept = default;
ComputedReadings& ComputedReadings::operator=(ComputedReadings&&) noexcept = default;
ComputedReadings::~ComputedReadings() = default;

std::vector<std::string> ComputedReadings::inputs() const {
  std::vector<std::string> ids;
  for (const Computed& reading : state_->readings) {
    for (const std::string& id : reading.inputs()) {
      if (std::find(ids.begin(), ids.end(), id) == ids.end()) ids.push_back(id);
    }
  }
  return ids;
}

std::vector<std::shared_ptr<const Batch>> ComputedReadings::compute(const Snapshot& snapshot) {
  std::vector<std::shared_ptr<const Batch>> batches;
  Snapshot so_far = snapshot;
  for (std::size_t i = 0; i < state_->readings.size(); ++i) {
    Batch batch{state_->lists[i], {state_->readings[i].next(so_far)}, snapshot.time()};
    batches.push_back(std::make_shared<const Batch>(std::move(batch)));
    so_far = so_far.with(batches.back());
  }
  return batches;
}

Snapshot ComputedReadings::add_to(const Snapshot& snapshot) {
  Snapshot result = snapshot;
  for (const auto& batch : compute(snapshot)) result = result.with(batch);
  return result;
}

}  // namespace idlemeter
