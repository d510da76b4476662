#include "desk/settings_form.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <string_view>
#include <thread>
#include <utility>

#include "desk/face_json.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/readings/computed_readings.hpp"
#include "idlemeter/readings/units.hpp"
#include "idlemeter/settings/settings.hpp"
#include "idlemeter/settings/settings_keys.hpp"
#include "idlemeter/settings/settings_text.hpp"
#include "meter/cues/cues.hpp"

namespace idlemeter::desk {
namespace {

constexpr std::pair<std::string_view, base::CueKind> kCues[] = {{"start", base::CueKind::start},
                                                                {"end", base::CueKind::end},
                                                                {"mark", base::CueKind::mark},
                                                                {"failure", base::CueKind::failure}};

ComputedReading formula_in(const Json& question) {
  ComputedReading reading;
  reading.info.id = text_in(question, "id");
  reading.info.title = text_or_none(question, "title");
  reading.formula = text_in(question, "formula");
  const std::string unit = text_or_none(question, "unit");
  const auto known = unit_from(unit);
  if (!unit.empty() && !known) throw Error(Error::Code::invalid, fmt::format("'{}' isn't a unit", unit));
  if (known) reading.info.unit = *known;
  return reading;
}

Json to_json(const ComputedReading& one) {
  return {{"id", one.info.id},
          {"title", one.info.title},
          {"formula", one.formula},
          {"of", one.of},
          {"unit", symbol(one.info.unit)}};
}

}  // namespace

Json SettingsForm::described() const {
  const std::string toml = settings_file_text(file_);
  const SettingsParse parse = parse_settings(toml);
  Json findings = Json::array(), computed = Json::array();
  for (const Finding& finding : parse.findings)
    findings.push_back(fmt::format("line {}: {}", finding.line, finding.message));
  if (parse.settings) {
    for (const ComputedReading& one : parse.settings->computed) computed.push_back(to_json(one));
  }
  return {{"file", file_.string()},
          {"keys", keys_json(settings_keys())},
          {"values", keys_in(toml)},
          {"findings", findings},
          {"computed", computed}};
}

Json SettingsForm::show() {
  const std::lock_guard lock(mutex_);
  return described();
}

Json SettingsForm::set(const Json& question) {
  const std::lock_guard lock(mutex_);
  const std::string key = text_in(question, "key"), value = text_or_none(question, "value");
  change_settings(file_, key, question.contains("value") ? std::optional<std::string_view>(value) : std::nullopt);
  return described();
}

Json SettingsForm::add_formula(const Json& question) {
  const std::lock_guard lock(mutex_);
  const ComputedReading reading = formula_in(question);
  change_settings(file_, [&](SettingsText& settings) { settings.add_formula(reading); });
  return described();
}

Json SettingsForm::remove_computed(const Json& question) {
  const std::lock_guard lock(mutex_);
  const std::string id = text_in(question, "id");
  change_settings(file_, [&](SettingsText& settings) { settings.remove_computed(id); });
  return described();
}

Json SettingsForm::try_formula(const std::string& formula, const std::string& unit) {
  const ComputedReading trial = formula_in({{"id", "own.trial"}, {"formula", formula}, {"unit", unit}});
  ComputedReadings computed({trial});
  Json answer;
  readings_.use(computed.inputs(), [&](const Snapshot& values, const History&) {
    const Snapshot with = computed.add_to(values);
    const auto& entry = with.find("own.trial");
    const auto* missing = entry.value == nullptr ? nullptr : std::get_if<Missing>(entry.value);
    answer = {{"value", entry.info == nullptr || missing != nullptr ? "" : format_value(*entry.info, *entry.value)},
              {"missing", missing == nullptr ? "" : missing->reason}};
  });
  return answer;
}

Json SettingsForm::give_cue(const Json& question) {
  const std::string name = text_in(question, "cue");
  const auto known =
      std::find_if(std::begin(kCues), std::end(kCues), [&](const auto& one) { return one.first == name; });
  if (known == std::end(kCues)) throw Error(Error::Code::invalid, fmt::format("there is no cue '{}'", name));
  std::vector<std::string> problems;
  {
    meter::Cues cues(settings_in(file_).cues);
    cues.give({.kind = known->second, .text = "this is how it sounds", .about = "asked for by the desk"});
    constexpr Nanoseconds kTime = kSecond / 2;
    const Moment until = monotonic_now() + kTime;
    while (problems.empty() && monotonic_now() < until) {
      std::this_thread::sleep_for(std::chrono::milliseconds(50));
      problems = cues.problems();
    }
  }
  if (!problems.empty()) throw Error(Error::Code::unavailable, problems.front());
  return {{"done", true}};
}

}  // namespace idlemeter::desk
