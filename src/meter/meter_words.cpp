#include "idlemeter/meter/meter_words.hpp"

#include <fmt/format.h>
#include <string.h>
#include <sys/wait.h>

#include "idlemeter/base/text.hpp"
#include "idlemeter/base/time.hpp"
#include "idlemeter/frames/frame_summary.hpp"
#include "idlemeter/runs/run.hpp"

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
  if (!recording.waits_for.empty()) return fmt::format(", waits to record{} for {}", which, recording.waits_for);
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

std::string game_words(const GameReport& game) {
  const Summary& s = game.summary;
  std::string line =
      fmt::format("{}{}{}: {} frame{}", game.name, game.api.empty() ? "" : ", " + game.api,
                  game.picture.empty() ? "" : ", " + game.picture, game.presents, game.presents == 1 ? "" : "s");
  if (!game.blind.empty()) line += ": they aren't known, for " + game.blind;
  if (!s.average_rate) return line;
  line += fmt::format(" in {:.2f} s, average {:.1f} FPS", in_seconds(s.time), *s.average_rate);
  const Low* low = s.low(Share{10'000});
  if (low != nullptr && low->enough_frames) line += fmt::format(", 1% low {:.1f} FPS (mean of the slowest)", low->rate);
  return line;
}

std::string recorded_words(const Store& store, std::int64_t run) {
  const Summary s = summarize(store.intervals(run));
  const auto rate = [](std::optional<double> value) { return value ? fmt::format("{:.1f} FPS", *value) : "unknown"; };
  const auto low = [&](double percent) {
    const Low* found = s.low(Share::percent(percent));
    return found == nullptr || !found->enough_frames ? std::string("of too few frames") : rate(found->rate);
  };
  return fmt::format("run {} in {}: average {}, 1% low {}, 0.1% low {} (mean of the slowest)", run,
                     store.path().string(), rate(s.average_rate), low(1), low(0.1));
}

std::string no_frame_words(const PlayReport& report) {
  const Unmeasured& game = report.unmeasured;
  const std::string named = game.program.empty() ? "the game" : fmt::format("'{}'", printable(game.program));
  if (game.is_of_another_user)
    return fmt::format(
        "no frame was seen: {} runs as another user, whose programs can't be measured; start it as yourself", named);
  if (WIFSIGNALED(report.status) && !report.was_asked_to_end)
    return fmt::format("no frame was seen: {} was ended by signal {} ({}) before it presented", named,
                       WTERMSIG(report.status), ::strsignal(WTERMSIG(report.status)));
  if (WIFEXITED(report.status) && WEXITSTATUS(report.status) != 0 && !report.was_asked_to_end)
    return fmt::format("no frame was seen: {} ended with status {} before it presented; see what it printed", named,
                       WEXITSTATUS(report.status));
  if (game.lacks_environment)
    return fmt::format(
        "no frame was seen: {} was started without the environment that loads the probe; pass LD_PRELOAD, "
        "VK_ADD_LAYER_PATH and the variables that begin with IDLEMETER_ on to it",
        named);
  return fmt::format(
      "no frame of {} was seen: it presents in another way than by OpenGL or Vulkan, its graphics driver failed (see "
      "what it printed), or it ended before it presented",
      named);
}

bool may_present_otherwise(const PlayReport& report) {
  const Unmeasured& game = report.unmeasured;
  const bool ended_well = report.was_asked_to_end || (WIFEXITED(report.status) && WEXITSTATUS(report.status) == 0);
  return !game.is_of_another_user && ended_well;
}

std::string shortness_words(const RecordedRun& run) {
  if (!run.end || *run.end == RunEnd::store_failed) return "the store failed";
  if (*run.end == RunEnd::game_crashed) return "the game crashed or was killed";
  return *run.end == RunEnd::game_ended ? "the game ended" : "it was stopped";
}

}  // namespace idlemeter
