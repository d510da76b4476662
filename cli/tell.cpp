// idlemeter tell: commands for running meters.
#include <fmt/format.h>

#include <memory>

#include "commands.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/meter/command.hpp"
#include "idlemeter/meter/running_meters.hpp"
#include "output.hpp"
#include "plan_options.hpp"

namespace idlemeter::cli {
namespace {

using What = MeterCommand::What;
using Record = MeterCommand::Record;

struct TellOptions {
  MeterCommand command;
  int pid = 0;
  bool json = false;
};

/// The meters that are meant: all, or the one with that process or with a game of that process.
std::vector<RunningMeter> meant(const TellOptions& options) {
  const auto all = running_meters();
  if (all.empty()) throw Error("no meter is running", "", "start a game with 'idlemeter play -- GAME'");
  if (options.pid == 0) return all;
  std::vector<RunningMeter> found;
  for (const RunningMeter& meter : all) {
    const auto has_it = [&] {
      const auto state = ask_meter(meter.control, {.what = What::state}).state;
      return state && has_game(*state, options.pid);
    };
    if (meter.pid == options.pid || has_it()) found.push_back(meter);
  }
  if (found.empty())
    throw Error(fmt::format("no meter is process {}, or has a game that is", options.pid), "",
                "'idlemeter tell state' lists them");
  return found;
}

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

void print_game(const GameState& game) {
  print("  {} {}  {}{}  {} frames{}{}  face {}\n", game.pid, printable(game.name),
        game.api.empty() ? "" : game.api + "  ", game.picture, game.frames,
        game.frames_unknown.empty() ? "" : fmt::format(" (not measured: {})", game.frames_unknown),
        game.average_fps ? fmt::format(", average {:.1f} FPS", *game.average_fps) : "", printable(game.face));
  if (!game.mistake.empty()) print("  {}\n", game.mistake);
}

void print_state(const MeterState& state) {
  print("meter {}: overlay {}{}\n", state.pid, state.visible ? "shown" : "hidden",
        state.recording ? words_of(*state.recording) : "");
  if (!state.recording_problem.empty()) print("  not recording: {}\n", state.recording_problem);
  for (const GameState& game : state.games) print_game(game);
}

std::string done(const MeterCommand& command, const MeterAnswer& answer) {
  if (answer.run && !answer.finished.value_or(true))
    return fmt::format("run {} ends as soon as the store takes the rest", *answer.run);
  if (answer.run) return fmt::format("run {}{}", *answer.run, answer.game ? " of " + *answer.game : "");
  if (answer.face) return "face " + *answer.face;
  if (answer.visible) return *answer.visible ? "shown" : "hidden";
  if (answer.marks) return fmt::format("mark {}", *answer.marks);
  return command.what == What::record ? "will record" : "done";
}

int tell(const TellOptions& options) {
  if (const std::string wrong = problem_with_options(options.command.plan); !wrong.empty())
    return misuse("tell record", wrong);
  if (options.command.what == What::note && options.command.plan.notes.empty())
    return misuse("tell note", "nothing to add; give a TEXT, --set or --tag");
  int status = 0;
  for (const RunningMeter& meter : meant(options)) {
    const std::string text = tell_meter(meter.control, to_json(options.command));
    const MeterAnswer answer = answer_from_json(text);
    if (!answer.error.empty()) {
      complain("idlemeter: meter {}: {}\n", meter.pid, answer.error);
      status = 1;
    } else if (options.json) {
      write_raw(escaped_json(text) + "\n");
    } else if (answer.state) {
      print_state(*answer.state);
    } else {
      print("meter {}: {}\n", meter.pid, done(options.command, answer));
    }
  }
  return status;
}

std::string read_record(const std::string& word, Record& record) {
  if (word != "start" && word != "stop" && word != "toggle")
    return fmt::format("'{}' isn't start, stop or toggle", word);
  record = word == "start" ? Record::start : word == "stop" ? Record::stop : Record::toggle;
  return "";
}

}  // namespace

void add_tell(Command app) {
  Command told = app.add("tell", "Control running meters, or ask for their state");
  const auto options = std::make_shared<TellOptions>();
  const auto add_usual = [options](Command to) {
    to.option("--pid", options->pid, "Only the meter with this process, or with a game that is").check(positive());
    to.flag("--json", options->json, "Answers as JSON, a line for each meter");
  };
  add_usual(told);
  const auto command = [&](const char* name, What what, const char* about) {
    Command added = told.add(name, about, [options, what] {
      options->command.what = what;
      return tell(*options);
    });
    add_usual(added);
    return added;
  };
  command("show", What::show, "Show the overlay");
  command("hide", What::hide, "Hide it");
  command("toggle", What::toggle, "Show or hide it");
  command("clear", What::clear, "Restart the live statistics");
  command("mark", What::mark, "Set a mark in the recording").option("TEXT", options->command.mark, "What it is about");
  Command note = command("note", What::note, "Add notes to the recording, or to the planned ones");
  note.option("TEXT", options->command.plan.notes.note, "A note, below those that are there");
  add_setting_options(note, options->command.plan.notes);
  command("state", What::state, "List the games, their frame rates and faces, and the recording");
  command("face", What::face, "Change the face: to the next, or to one by name")
      .option("FACE", options->command.face, "A kept face, a face file or a starter's name");
  Command record = command("record", What::record, "Start or stop a recording");
  record.option(
      "WHAT", [options](const std::string& word) { return read_record(word, options->command.record); },
      "start, stop or toggle (default)");
  add_plan_options(record, options->command.plan);
}

}  // namespace idlemeter::cli
