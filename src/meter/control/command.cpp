#include "idlemeter/meter/command.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "base/enum_names.hpp"
#include "idlemeter/base/error.hpp"
#include "meter/control/state_json.hpp"

namespace idlemeter {
namespace {

using namespace base;
using nlohmann::json;
using What = MeterCommand::What;
using Record = MeterCommand::Record;
using namespace meter;

constexpr Word<What> kCommands[] = {{"show", What::show},           {"hide", What::hide},     {"toggle", What::toggle},
                                    {"clear", What::clear},         {"mark", What::mark},     {"note", What::note},
                                    {"face", What::face},           {"record", What::record}, {"state", What::state},
                                    {"hand over", What::hand_over}, {"watch", What::watch}};
constexpr Word<Record> kRecords[] = {{"start", Record::start}, {"stop", Record::stop}, {"toggle", Record::toggle}};

MeterAnswer answer_of(const json& object) {
  MeterAnswer answer;
  answer.error = object.value("error", "");
  answer.code = error_code_from(object.value("code", "")).value_or(Error::Code::failed);
  answer.visible = optional_of<bool>(object, "visible");
  answer.marks = optional_of<int>(object, "marks");
  answer.face = optional_of<std::string>(object, "face");
  answer.run = optional_of<std::int64_t>(object, "run");
  answer.game = optional_of<std::string>(object, "game");
  answer.finished = optional_of<bool>(object, "finished");
  answer.state = state_from(object);
  return answer;
}

/// Seconds of a plan: whatever fits into a length.
Nanoseconds seconds_from(const json& object, const char* key) {
  const double seconds = object.value(key, 0.0);
  if (!(std::abs(seconds) <= in_seconds(kLongestTime)))
    throw Error(Error::Code::invalid, fmt::format("'{}' is a number of seconds", key));
  return from_seconds(seconds);
}

RunNotes notes_from(const json& object) {
  RunNotes notes;
  notes.settings = object.value("settings", std::map<std::string, std::string>{});
  notes.note = object.value("note", "");
  notes.tags = object.value("tags", std::vector<std::string>{});
  return notes;
}

void put_notes(json& object, const RunNotes& notes) {
  if (!notes.settings.empty()) object["settings"] = notes.settings;
  put_text(object, "note", notes.note);
  if (!notes.tags.empty()) object["tags"] = notes.tags;
}

RecordingPlan plan_from(const json& object) {
  RecordingPlan plan;
  plan.after = seconds_from(object, "after");
  plan.at_mark = object.value("at mark", false);
  if (const Nanoseconds length = seconds_from(object, "for"); length != Nanoseconds{}) plan.length = length;
  plan.repeat = object.value("repeat", 1);
  plan.pause = seconds_from(object, "pause");
  plan.notes = notes_from(object);
  return plan;
}

WatchRequest watch_from(const json& object) {
  WatchRequest watch;
  if (object.contains("every")) watch.every = seconds_from(object, "every");
  if (watch.every < 20 * kMillisecond || watch.every > std::chrono::hours(1))
    throw Error(Error::Code::invalid, "a meter sends updates every 20 ms to an hour");
  watch.frames = object.value("frames", false);
  watch.readings = object.value("readings", std::vector<std::string>{});
  return watch;
}

void put_watch(json& object, const WatchRequest& watch) {
  object["every"] = in_seconds(watch.every);
  if (watch.frames) object["frames"] = true;
  if (!watch.readings.empty()) object["readings"] = watch.readings;
}

void put_plan(json& object, const RecordingPlan& plan) {
  if (plan.length) object["for"] = in_seconds(*plan.length);
  if (plan.at_mark) object["at mark"] = true;
  if (plan.after > Nanoseconds{}) object["after"] = in_seconds(plan.after);
  if (plan.repeat > 1) object["repeat"] = plan.repeat;
  if (plan.pause > Nanoseconds{}) object["pause"] = in_seconds(plan.pause);
  put_notes(object, plan.notes);
}

Record record_of(const std::string& word) {
  if (const auto recording = value_of(word, kRecords)) return *recording;
  throw Error(Error::Code::invalid, fmt::format("a recording can't be told to '{}'", word), "",
              "use start, stop or toggle");
}

MeterCommand command_of(const json& object) {
  const std::string word = object["do"];
  MeterCommand command;
  const auto what = value_of(word, kCommands);
  if (!what)
    throw Error(Error::Code::invalid, fmt::format("unknown command '{}'", word), "", "name one that a meter takes",
                Error::Hint::list_commands);
  command.what = *what;
  command.face = object.value("name", "");
  command.record = record_of(object.value("what", "toggle"));
  command.mark = object.value("text", "");
  command.plan = plan_from(object);
  if (command.what == What::watch) command.watch = watch_from(object);
  return command;
}

}  // namespace

std::string to_json(const MeterCommand& command) {
  json object = {{"do", word_of(command.what, kCommands)}};
  if (command.what == What::face) put_text(object, "name", command.face);
  if (command.what == What::mark) put_text(object, "text", command.mark);
  if (command.what == What::record) {
    object["what"] = word_of(command.record, kRecords);
    put_plan(object, command.plan);
  }
  if (command.what == What::watch) put_watch(object, command.watch);
  if (command.what == What::note) put_notes(object, command.plan.notes);
  return text_of(object);
}

std::string to_json(const MeterAnswer& answer) {
  if (!answer.error.empty()) return text_of({{"error", answer.error}, {"code", name_of(answer.code)}});
  json object = {{"ok", true}};
  put(object, "visible", answer.visible);
  put(object, "marks", answer.marks);
  put(object, "face", answer.face);
  put(object, "run", answer.run);
  put(object, "game", answer.game);
  put(object, "finished", answer.finished);
  if (answer.state) put_state(object, *answer.state);
  return text_of(object);
}

MeterCommand command_from_json(std::string_view text) {
  const json object = json::parse(text, nullptr, false);
  if (!object.is_object() || !object.value("do", json()).is_string())
    throw Error(Error::Code::invalid, "not a command", "", "send an object like {\"do\": \"state\"}");
  try {
    return command_of(object);
  } catch (const json::exception& error) {
    throw Error(Error::Code::invalid, error.what());
  }
}

MeterAnswer answer_from_json(std::string_view text) {
  const json object = json::parse(text, nullptr, false);
  if (!object.is_object())
    throw Error(Error::Code::unreadable, "the meter's answer can't be understood", "", "it may be of another version");
  try {
    return answer_of(object);
  } catch (const json::exception& error) {
    throw Error(Error::Code::unreadable, fmt::format("the meter's answer can't be understood ({})", error.what()), "",
                "it may be of another version");
  }
}

}  // namespace idlemeter
