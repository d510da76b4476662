#include "idlemeter/insight/change_subject.hpp"

#include <fmt/format.h>

#include <chrono>
#include <utility>

namespace idlemeter {

ChangeSubject change_subject(const Store& store, std::int64_t run) {
  const RunInfo info = store.run(run);
  ChangeSubject subject{fmt::format("run {}", info.id), info.length, seconds_of(store, info.id),
                        store.series(info.id, &ReadingInfo::text)};
  if (info.frames == 0) subject.meanwhile = runs_during(store.runs(Store::Facts::none), info);
  return subject;
}

ChangeSubject change_subject(ReadingTable table, const std::string& name) {
  std::vector<SecondSeries> seconds = seconds_of({}, table.series);
  std::erase_if(table.series, [](const RunSeries& one) { return !one.info.text; });
  return {name, table.length, std::move(seconds), std::move(table.series)};
}

Changes find_changes(const ChangeSubject& subject, const ChangeRules& rules) {
  return find_changes(subject.seconds, subject.texts, rules);
}

Changes changes_near(Changes changes, Moment at) {
  constexpr Nanoseconds kNear = std::chrono::minutes(1);
  const auto is_far = [&](Moment moment) { return std::chrono::abs(moment - at) > kNear; };
  std::erase_if(changes.events, [&](const ChangeEvent& event) { return is_far(event.at); });
  std::erase_if(changes.oddities, [&](const OddStretch& odd) { return is_far(odd.at); });
  return changes;
}

}  // namespace idlemeter
