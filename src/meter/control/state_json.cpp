#include "meter/control/state_json.hpp"

#include <array>
#include <utility>

#include "base/enum_names.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_histogram.hpp"

namespace idlemeter::meter {
namespace {

using namespace base;

constexpr Word<RecordingState::Phase> kPhases[] = {{"planned", RecordingState::Phase::planned},
                                                   {"opening", RecordingState::Phase::opening},
                                                   {"recording", RecordingState::Phase::recording},
                                                   {"ending", RecordingState::Phase::ending}};

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
  if (recording.phase == RecordingState::Phase::planned) one["in_s"] = in_seconds(recording.starts_in);
  if (!recording.waits_for.empty()) one["waits_for"] = recording.waits_for;
  if (recording.left) one["left_s"] = in_seconds(*recording.left);
  if (recording.of > 1) one["number"] = recording.number;
  if (recording.of > 1) one["of"] = recording.of;
  if (recording.pid != 0) one["pid"] = recording.pid;
  if (recording.run != 0) one["run"] = recording.run;
  return one;
}

RecordingState recording_from(const json& one) {
  RecordingState recording{.phase = value_of(one.value("state", ""), kPhases).value_or(RecordingState::Phase::planned)};
  recording.starts_in = from_seconds(one.value("in_s", 0.0));
  recording.waits_for = one.value("waits_for", "");
  if (const auto left = optional_of<double>(one, "left_s")) recording.left = from_seconds(*left);
  recording.number = one.value("number", 1);
  recording.of = one.value("of", 1);
  recording.pid = one.value("pid", 0);
  recording.run = one.value("run", std::int64_t{0});
  return recording;
}

}  // namespace

void put_state(json& object, const MeterState& state) {
  object["pid"] = state.pid;
  object["visible"] = state.visible;
  object["games"] = json::array();
  for (const GameState& game : state.games) object["games"].push_back(json_of(game));
  if (state.recording) object["recording"] = json_of(*state.recording);
  put_text(object, "recording_problem", state.recording_problem);
}

std::optional<MeterState> state_from(const json& object) {
  if (!object.contains("games")) return std::nullopt;
  MeterState state;
  state.pid = object.value("pid", 0);
  state.visible = object.value("visible", false);
  for (const json& game : object["games"]) state.games.push_back(game_from(game));
  if (object.contains("recording")) state.recording = recording_from(object["recording"]);
  state.recording_problem = object.value("recording_problem", "");
  return state;
}

}  // namespace idlemeter::meter
