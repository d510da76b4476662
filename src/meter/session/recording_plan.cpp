#include "idlemeter/meter/recording_plan.hpp"

#include <fmt/format.h>

#include <charconv>

#include "idlemeter/base/duration.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/insight/words.hpp"

namespace idlemeter {
namespace {

/// "45 s", "4:10", "1:02:00"
std::string length_words(Nanoseconds length) {
  return length < std::chrono::minutes(1) ? fmt::format("{:g} s", in_seconds(length)) : second_words(Moment(length));
}

int runs_from(const std::string& text) {
  int number = 0;
  const auto read = std::from_chars(text.data(), text.data() + text.size(), number);
  if (read.ec != std::errc() || read.ptr != text.data() + text.size())
    throw Error(Error::Code::invalid, fmt::format("'{}' isn't a number of runs", text));
  return number;
}

}  // namespace

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

Nanoseconds plan_time_from(std::string_view text, Nanoseconds least) {
  const auto time = duration_from(text, "s");
  if (!time || *time < least || *time > RecordingPlan::kLongest)
    throw Error(Error::Code::invalid, fmt::format("'{}' isn't a time from {:g} s to a day", text, in_seconds(least)),
                "", "write it like 60, 90s or 1:30");
  return *time;
}

void add_setting(std::string_view text, std::map<std::string, std::string>& settings) {
  const std::size_t equals = text.find('=');
  if (equals == 0 || equals == std::string_view::npos)
    throw Error(Error::Code::invalid, fmt::format("'{}' isn't a setting", text), "", "write it like preset=High");
  settings.insert_or_assign(std::string(text.substr(0, equals)), std::string(text.substr(equals + 1)));
}

RecordingPlan plan_from(const RecordingPlanText& text) {
  RecordingPlan plan;
  if (!text.length.empty()) plan.length = plan_time_from(text.length, RecordingPlan::kShortest);
  plan.at_mark = text.after == "mark";
  if (!text.after.empty() && !plan.at_mark) plan.after = plan_time_from(text.after);
  if (!text.repeat.empty()) plan.repeat = runs_from(text.repeat);
  if (!text.pause.empty()) plan.pause = plan_time_from(text.pause);
  for (const std::string& setting : text.settings) add_setting(setting, plan.notes.settings);
  plan.notes.note = text.note;
  plan.notes.tags = text.tags;
  if (const std::string problem = problem_with(plan); !problem.empty()) throw Error(Error::Code::invalid, problem);
  return plan;
}

std::string plan_words(const RecordingPlan& plan) {
  if (!plan.length) return "";
  const Nanoseconds all = plan.after + plan.repeat * *plan.length + (plan.repeat - 1) * plan.pause;
  const std::string from = plan.at_mark ? "the mark" : "the start";
  if (plan.repeat == 1)
    return fmt::format("one run of {}, ending {} after {}", length_words(*plan.length), length_words(all), from);
  return fmt::format("{} runs of {}, the last one ending {} after {}", plan.repeat, length_words(*plan.length),
                     length_words(all), from);
}

}  // namespace idlemeter
