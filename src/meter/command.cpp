// The only file of the meter that knows JSON.
#include "idlemeter/meter/command.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "base/words.hpp"
#include "idlemeter/base/error.hpp"

namespace idlemeter {
namespace {

using namespace base;
using nlohmann::json;
using What = MeterCommand::What;
using Record = MeterCommand::Record;
using Phase = RecordingState::Phase;

constexpr Word<What> kCommands[] = {{"show", What::show},          {"hide", What::hide},     {"toggle", What::toggle},
                                    {"clear", What::clear},        {"mark", What::mark},     {"note", What::note},
                                    {"face", What::face},          {"record", What::record}, {"state", What::state},
                                    {"hand over", What::hand_over}};
constexpr Word<Record> kRecords[] = {{"start", Record::start}, {"stop", Record::stop}, {"toggle", Record::toggle}};
constexpr Word<Phase> kPhases[] = {{"planned", Phase::planned},
                                   {"opening", Phase::opening},
                                   {"recording", Phase::recording},
                                   {"ending", Phase::ending}};

template <typename T>
std::optional<T> optional_of(const json& object, const char* key) {
  return object.contains(key) ? std::optional(object[key].get<T>()) : std::nullopt;
}

/// Sets the key if there is a value; an empty text is none.
template <typename T>
void put(json& object, const char* key, const std::optional<T>& value) {
  if (value) object[key] = *value;
}
void put_text(json& object, const char* key, const std::string& text) {
  if (!text.empty()) object[key] = text;
}

std::string text_of(const json& object) { return object.dump(-1, ' ', false, json::error_handler_t::replace); }

json json_of(const GameState& game) {
  json one = {{"pid", game.pid},       {"name", game.name}, {"api", game.api},         {"picture", game.picture},
              {"frames", game.frames}, {"lost", game.lost}, {"refused", game.refused}, {"face", game.face}};
  put(one, "average_fps", game.average_fps);
  put(one, "low_1_percent_fps", game.low_1_percent_fps);
  if (game.frame_times.count() > 0)
    one["frame_times"] = {{"counts", game.frame_times.counts()}, {"sum_ns", game.frame_times.sum().count()}};
  put_text(one, "frames_unknown", game.frames_unknown);
  put_text(one, "mistake", game.mistake);
  return one;
}

GameState game_from(const json& one) {
  GameState game;
  game.pid = one.value("pid", 0);
  game.name = one.value("name", "");
  game.api = one.value("api", "");
  game.picture = one.value("picture", "");
  game.frames = one.value("frames", std::uint64_t{0});
  game.lost = one.value("lost", std::uint64_t{0});
  game.refused = one.value("refused", std::uint64_t{0});
  game.face = one.value("face", "");
  game.average_fps = optional_of<double>(one, "average_fps");
  game.low_1_percent_fps = optional_of<double>(one, "low_1_percent_fps");
  if (one.contains("frame_times")) {
    const json& times = one["frame_times"];
    game.frame_times = {times.at("counts").get<std::array<std::uint64_t, FrameHistogram::kBuckets>>(),
                        Nanoseconds(times.at("sum_ns").get<std::int64_t>())};
  }
  game.frames_unknown = one.value("frames_unknown", "");
  game.mistake = one.value("mistake", "");
  return game;
}

json json_of(const RecordingState& recording) {
  json one = {{"state", word_of(recording.phase, kPhases)}};
  if (recording.phase == Phase::planned) one["in_s"] = in_seconds(recording.starts_in);
  if (!recording.waits_for.empty()) one["waits_for"] = recording.waits_for;
  if (recording.left) one["left_s"] = in_seconds(*recording.left);
  if (recording.of > 1) one["number"] = recording.number;
  if (recording.of > 1) one["of"] = recording.of;
  if (recording.pid != 0) one["pid"] = recording.pid;
  if (recording.run != 0) one["run"] = recording.run;
  return one;
}

RecordingState recording_from(const json& one) {
  RecordingState recording{.phase = value_of(one.value("state", ""), kPhases).value_or(Phase::planned)};
  recording.starts_in = from_seconds(one.value("in_s", 0.0));
  recording.waits_for = one.value("waits_for", "");
  if (const auto left = optional_of<double>(one, "left_s")) recording.left = from_seconds(*left);
  recording.number = one.value("number", 1);
  recording.of = one.value("of", 1);
  recording.pid = one.value("pid", 0);
  recording.run = one.value("run", std::int64_t{0});
  return recording;
}

void put_state(json& answer, const MeterState& state) {
  answer["pid"] = state.pid;
  answer["visible"] = state.visible;
  answer["games"] = json::array();
  for (const GameState& game : state.games) answer["games"].push_back(json_of(game));
  if (state.recording) answer["recording"] = json_of(*state.recording);
  put_text(answer, "recording_problem", state.recording_problem);
}

std::optional<MeterState> state_from(const json& answer) {
  if (!answer.contains("games")) return std::nullopt;
  MeterState state;
  state.pid = answer.value("pid", 0);
  state.visible = answer.value("visible", false);
  for (const json& game : answer["games"]) state.games.push_back(game_from(game));
  if (answer.contains("recording")) state.recording = recording_from(answer["recording"]);
  state.recording_problem = answer.value("recording_problem", "");
  return state;
}

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

void put_plan(json& object, const RecordingPlan& plan) {
  if (plan.length) object["for"] = in_seconds(*plan.length);
  if (plan.at_mark) object["at mark"] = true;
  if (plan.after > Nanoseconds{}) object["after"] = in_seconds(plan.after);
  if (plan.repeat > 1) object["repeat"] = plan.repeat;
  if (plan.pause > Nanoseconds{}) object["pause"] = in_seconds(plan.pause);
  put_notes(object, plan.notes);
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
  const std::string record = object.value("what", "toggle");
  const auto recording = value_of(record, kRecords);
  if (!recording)
    throw Error(Error::Code::invalid, fmt::format("a recording can't be told to '{}'", record), "",
                "use start, stop or toggle");
  command.record = *recording;
  command.mark = object.value("text", "");
  command.plan = plan_from(object);
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
