#include "idlemeter/meter/recording_plan.hpp"

#include <fmt/format.h>

#include "idlemeter/base/time.hpp"

namespace idlemeter {

std::size_t RunNotes::bytes() const {
  std::size_t sum = note.size();
  for (const std::string& tag : tags) sum += tag.size();
  for (const auto& [name, value] : settings) sum += name.size() + value.size();
  return sum;
}

void RunNotes::add(const RunNotes& more) {
  for (const auto& [name, value] : more.settings) settings.insert_or_assign(name, value);
  tags.insert(tags.end(), more.tags.begin(), more.tags.end());
  note += (note.empty() || more.note.empty() ? "" : "\n") + more.note;
}

std::string problem_with(const RecordingPlan& plan) {
  const auto fits = [](Nanoseconds time) { return time >= Nanoseconds{} && time <= RecordingPlan::kLongest; };
  if (!fits(plan.after) || !fits(plan.pause)) return "a recording can be put off by up to a day";
  if (plan.length && (*plan.length < RecordingPlan::kShortest || *plan.length > RecordingPlan::kLongest))
    return fmt::format("a recording takes from {:g} s to a day", in_seconds(RecordingPlan::kShortest));
  if (plan.repeat < 1 || plan.repeat > RecordingPlan::kMostRuns)
    return fmt::format("a recording is repeated from 1 to {} times", RecordingPlan::kMostRuns);
  if (plan.repeat > 1 && !plan.length) return "runs that are repeated need a length: say how long each is";
  return "";
}

}  // namespace idlemeter
