#include "idlemeter/meter/meter_words.hpp"

#include <fmt/format.h>

#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"

namespace idlemeter {
namespace {

std::string words_of(const RecordingState& recording) {
  using Phase = RecordingState::Phase;
  if (recording.phase == Phase::opening) return ", recording, waiting for the store";
  if (recording.phase == Phase::ending) return fmt::format(", writing the end of run {}", recording.run);
  const std::string which = recording.of > 1 ? fmt::format(" ({} of {})", recording.number, recording.of) : "";
  if (recording.phase == Phase::recording) {
    return fmt::format(", recording run {}{}{}", recording.run, which,
                       recording.left ? fmt::format(", {:.0f} s left", in_seconds(*recording.left)) : "");
  }
  if (recording.waits_for == "a mark") return ", waits for a mark to record" + which;
  if (recording.starts_in == Nanoseconds{}) return ", will record the next game that presents" + which;
  return fmt::format(", {} in {:.0f} s{}", recording.number > 1 ? "pause: records again" : "will record",
                     in_seconds(recording.starts_in), which);
}

std::string words_of(const GameState& game) {
  std::string text =
      fmt::format("  {} {}  {}{}  {} frames{}{}  face {}\n", game.pid, printable(game.name),
                  game.api.empty() ? "" : game.api + "  ", game.picture, game.frames,
                  game.frames_unknown.empty() ? "" : fmt::format(" (not measured: {})", game.frames_unknown),
                  game.average_fps ? fmt::format(", average {:.1f} FPS", *game.average_fps) : "", printable(game.face));
  return game.mistake.empty() ? text : text + fmt::format("  {}\n", game.mistake);
}

}  // namespace

std::string state_words(const MeterState& state) {
  std::string text = fmt::format("meter {}: overlay {}{}\n", state.pid, state.visible ? "shown" : "hidden",
                                 state.recording ? words_of(*state.recording) : "");
  if (!state.recording_problem.empty()) text += fmt::format("  not recording: {}\n", state.recording_problem);
  for (const GameState& game : state.games) text += words_of(game);
  return text;
}

std::string answer_words(const MeterCommand& command, const MeterAnswer& answer) {
  if (answer.run && !answer.finished.value_or(true))
    return fmt::format("run {} ends as soon as the store takes the rest", *answer.run);
  if (answer.run) return fmt::format("run {}{}", *answer.run, answer.game ? " of " + *answer.game : "");
  if (answer.face) return "face " + *answer.face;
  if (answer.visible) return *answer.visible ? "shown" : "hidden";
  if (answer.marks) return fmt::format("mark {}", *answer.marks);
  return command.what == MeterCommand::What::record ? "will record" : "done";
}

}  // namespace idlemeter
