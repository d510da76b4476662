// idlemeter tell: commands for running meters.
#include <fmt/format.h>

#include <list>
#include <memory>

#include "commands.hpp"
#include "idlemeter/base/error.hpp"
#include "idlemeter/base/text.hpp"
#include "idlemeter/meter/command.hpp"
#include "idlemeter/meter/meter_words.hpp"
#include "idlemeter/meter/running_meters.hpp"
#include "idlemeter/meter/watch.hpp"
#include "output.hpp"
#include "play/plan_options.hpp"
#include "terminal.hpp"
#include "values.hpp"

namespace idlemeter::cli {
namespace {

using Record = MeterCommand::Record;

struct TellOptions {
  MeterCommand command;
  int pid = 0;
  bool json = false;
  Nanoseconds every{};  // 0: once
  int count = 0;        // of states; 0: until Ctrl-C
};

/// All, or the one with that process or with a game of that process.
std::vector<RunningMeter> meant(const TellOptions& options) {
  if (running_meters().empty())
    throw Error(Error::Code::not_found, "no meter is running", "", "start a game with 'idlemeter play -- GAME'");
  if (options.pid == 0) return running_meters();
  const auto found = meters_of(options.pid);
  if (found.empty())
    throw Error(Error::Code::not_found, fmt::format("no meter is process {}, or has a game that is", options.pid), "",
                "'idlemeter tell state' lists them");
  return found;
}

int tell(const TellOptions& options) {
  if (const std::string wrong = problem_with_options(options.command.plan); !wrong.empty())
    return misuse("tell record", wrong);
  if (options.command.what == MeterCommand::What::note && options.command.plan.notes.empty())
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
      print("{}", state_words(*answer.state));
    } else {
      print("meter {}: {}\n", meter.pid, answer_words(options.command, answer));
    }
  }
  return status;
}

/// The state of each meter again and again, as the meters send it, until all of them have ended.
int watch(const TellOptions& options) {
  std::list<MeterWatch> watches;
  for (const RunningMeter& meter : meant(options)) watches.emplace_back(meter.control, WatchRequest{options.every});
  catch_ctrl_c();
  for (int shown = 0; !watches.empty() && !stopped() && (options.count == 0 || shown < options.count);) {
    bool any = false;
    for (MeterWatch& one : watches) {
      const auto update = one.next(100 * kMillisecond);
      if (!update) continue;
      any = true;
      options.json ? write_raw(escaped_json(to_json(*update)) + "\n") : print("{}", state_words(update->state));
    }
    flush_output();
    shown += any ? 1 : 0;
    watches.remove_if([](const MeterWatch& one) { return one.is_over(); });
  }
  return 0;
}

std::string read_record(const std::string& word, Record& record) {
  if (word != "start" && word != "stop" && word != "toggle")
    return fmt::format("'{}' isn't start, stop or toggle", word);
  record = word == "start" ? Record::start : word == "stop" ? Record::stop : Record::toggle;
  return "";
}

using SharedTell = std::shared_ptr<TellOptions>;

void add_usual(Command to, const SharedTell& options) {
  to.option("--pid", options->pid, "Only the meter with this process id, or of the game with it").check(positive());
  to.flag("--json", options->json, "Answers as JSON, a line for each meter");
}

Command add_command(Command& told, const SharedTell& options, const char* name, MeterCommand::What what,
                    const char* about) {
  Command added = told.add(name, about, [options, what] {
    options->command.what = what;
    return options->every > Nanoseconds{} ? watch(*options) : tell(*options);
  });
  add_usual(added, options);
  return added;
}

void add_state(Command& told, const SharedTell& options) {
  Command state = add_command(told, options, "state", MeterCommand::What::state,
                              "List the games, their frame rates and faces, and the recording");
  const Option every = state.option(
      "--every", [options](const std::string& text) { return read_every(text, options->every); },
      "Repeat at this pace, like 1s, until Ctrl-C or the end of the meter");
  state.option("--count", options->count, "With --every: stop after so many times").check(positive()).needs(every);
}

void add_recording(Command& told, const SharedTell& options) {
  add_command(told, options, "mark", MeterCommand::What::mark, "Set a mark in the recording")
      .option("TEXT", options->command.mark, "What it is about");
  Command note = add_command(told, options, "note", MeterCommand::What::note,
                             "Add notes to the recording, or to the planned ones");
  note.option("TEXT", options->command.plan.notes.note, "A note, added below the existing ones");
  add_setting_options(note, options->command.plan.notes);
  Command record = add_command(told, options, "record", MeterCommand::What::record, "Start or stop a recording");
  record.option(
      "WHAT", [options](const std::string& word) { return read_record(word, options->command.record); },
      "start, stop or toggle (default)");
  add_plan_options(record, options->command.plan);
}

}  // namespace

void add_tell(Command app) {
  Command told = app.add("tell", "Control running meters, or ask for their state");
  const auto options = std::make_shared<TellOptions>();
  add_usual(told, options);
  add_command(told, options, "show", MeterCommand::What::show, "Show the overlay");
  add_command(told, options, "hide", MeterCommand::What::hide, "Hide it");
  add_command(told, options, "toggle", MeterCommand::What::toggle, "Show or hide it");
  add_command(told, options, "clear", MeterCommand::What::clear, "Restart the live statistics");
  add_state(told, options);
  add_command(told, options, "face", MeterCommand::What::face, "Change to the next face, or to one by name")
      .option("FACE", options->command.face, "A kept face, a face file or a starter's name");
  add_recording(told, options);
}

}  // namespace idlemeter::cli
